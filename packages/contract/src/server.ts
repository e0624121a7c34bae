/** The shapes of everything the service reads, checked by class-validator. Loaded by the service only. */
import 'reflect-metadata';
import { OUTCOMES, LOG_FORMATS, type LogFormat, type Outcome } from '@jadefence/core';
import { Type } from 'class-transformer';
import {
  ArrayMaxSize,
  IsArray,
  IsBoolean,
  IsIn,
  IsInt,
  IsISO8601,
  IsOptional,
  IsString,
  Length,
  Matches,
  Max,
  Min,
  ValidateNested,
} from 'class-validator';
import { ROLES, type Role } from './types.js';

const MAX_FILE_CHARACTERS = 20_000_000;
const MAX_FILES = 2000;

export class SignInInput {
  @IsString() @Length(1, 100) name!: string;
  @IsString() @Length(1, 1000) password!: string;
}

export class CreateTokenInput {
  @IsString() @Length(1, 100) signInName!: string;
  @IsString() @Length(1, 1000) password!: string;
  @IsString() @Length(1, 100) name!: string;
  @IsIn(ROLES) scope!: Role;
}

export class SourceFileInput {
  @Matches(/^(?!\/)(?!.*(^|\/)\.\.(\/|$))[^\0\\]{1,500}$/, {
    message: '$property must be a path below the folder of the fences, such as lists/touts.txt',
  })
  path!: string;
  @IsString() @Length(0, MAX_FILE_CHARACTERS) text!: string;
}

export class FenceSourcesInput {
  @IsArray()
  @ArrayMaxSize(MAX_FILES)
  @ValidateNested({ each: true })
  @Type(() => SourceFileInput)
  fenceFiles!: SourceFileInput[];
  @IsArray()
  @ArrayMaxSize(MAX_FILES)
  @ValidateNested({ each: true })
  @Type(() => SourceFileInput)
  namedFiles!: SourceFileInput[];
  /** Replaces or adds what is given and leaves the rest of the draft alone. */
  @IsOptional() @IsBoolean() isMerge: boolean = false;
}

export class TryRequestInput {
  @IsString() @Length(1, 100) client!: string;
  @IsString() @Length(1, 8000) url!: string;
  @IsOptional() @IsString() @Length(1, 40) method?: string;
  @IsOptional() @IsISO8601({ strict: true }) at?: string;
}

export class NewTokenInput {
  @IsString() @Length(1, 100) name!: string;
  @IsIn(ROLES) scope!: Role;
  @IsOptional() @IsInt() @Min(1) @Max(3650) expiresInDays?: number;
}

export class ResetPasswordInput {
  @IsString() @Length(1, 100) name!: string;
}

export class DeleteLogQuery {
  @IsOptional() @IsIn(['true']) force?: 'true';
}

export class ImportLogQuery {
  @IsString() @Length(1, 200) name!: string;
  @IsOptional() @IsIn(Object.keys(LOG_FORMATS)) format?: LogFormat;
  @IsOptional() @IsString() @Length(1, 253) host?: string;
}

export class ImportCountryTableQuery {
  @IsString() @Length(1, 200) name!: string;
}

export class StartReplayInput {
  @IsInt() @Min(1) logId!: number;
  @IsOptional() @Matches(/^[a-z][a-z0-9-]{0,62}$/, { message: '$property must be the name of a gate' }) gate?: string;
}

export class DecisionsQuery {
  @Type(() => Number) @IsInt() @Min(0) offset: number = 0;
  @Type(() => Number) @IsInt() @Min(1) @Max(1000) limit: number = 50;
  @IsOptional() @IsIn(OUTCOMES) outcome?: Outcome;
  @IsOptional() @IsString() @Length(1, 4000) where?: string;
}

export class IdParams {
  @Type(() => Number) @IsInt() @Min(1) @Max(2_147_483_647) id!: number;
}

export class RowParams extends IdParams {
  @Type(() => Number) @IsInt() @Min(0) @Max(9_007_199_254_740_991) row!: number;
}
