/** What is read where answers from logs are wanted. */
import { NAME } from '@jadefence/core/language';
import { Transform } from 'class-transformer';
import {
  ArrayMaxSize,
  ArrayMinSize,
  IsArray,
  IsBoolean,
  IsInt,
  IsISO8601,
  IsNumber,
  IsString,
  Length,
  Matches,
  Max,
  Min,
} from 'class-validator';
import { DecimalNumber, IsAgainst, IsOffset, Optional } from './decorators.js';
import type { ReplayPolicy } from './replays.js';

export class LimitAdviceInput {
  /** A rule that limits, as `fence/name`; or else what follows. */
  @Optional() @IsString() @Length(1, 200) rule?: string;
  /** Keys as in a rule: `client, method`. */
  @Optional() @IsString() @Length(1, 500) by?: string;
  @Optional() @IsString() @Length(1, 40) within?: string;
  @Optional() @IsString() @Length(1, 20_000) when?: string;
  @Optional() @Matches(NAME, { message: '$property must be the name of a gate' }) gate?: string;
  /** A list of addresses whose clients are not to be stopped. */
  @Optional() @Matches(NAME, { message: '$property must be the name of a list' }) spare?: string;
  /** At most this share of the keys is stopped, from 0 to 1. */
  @Optional() @IsNumber() @Min(0) @Max(1) share?: number;
  /** Counts that are looked at, too. */
  @Optional()
  @IsArray()
  @ArrayMaxSize(50)
  @IsInt({ each: true })
  @Min(1, { each: true })
  @Max(1_000_000, { each: true })
  counts?: number[];
  @Optional() @IsAgainst() against?: ReplayPolicy;
}

export class RecordedInput {
  /** Statuses that mean a stop, as `403,429`. */
  @Optional()
  @Transform(({ value }: { value: unknown }) => (typeof value === 'string' ? value.split(',').map(Number) : value))
  @IsArray()
  @ArrayMaxSize(50)
  @IsInt({ each: true })
  @Min(100, { each: true })
  @Max(599, { each: true })
  stops?: number[];
}

export class RecordedRequestsInput extends RecordedInput {
  @DecimalNumber() @IsOffset() offset: number = 0;
  @DecimalNumber() @IsInt() @Min(1) @Max(1000) limit: number = 50;
  @Optional() @DecimalNumber() @IsOffset() group?: number;
}

export class MatrixInput {
  /** Addresses, `user@address`, or names of lists of addresses. */
  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(200)
  @IsString({ each: true })
  @Length(1, 200, { each: true })
  clients!: string[];
  /** URLs or hosts. */
  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(200)
  @IsString({ each: true })
  @Length(1, 8000, { each: true })
  to!: string[];
  /** Times; now where absent. */
  @Optional() @IsArray() @ArrayMinSize(1) @ArrayMaxSize(24) @IsISO8601({ strict: true }, { each: true }) at?: string[];
  @Optional() @IsString() @Length(1, 40) method?: string;
  @Optional() @IsAgainst() against?: ReplayPolicy;
}

export class RuleUseInput {
  @Optional() @DecimalNumber() @IsInt() @Min(1) @Max(3650) days?: number;
}

export class SuggestInput {
  /** It may name many lines one by one. */
  @IsString() @Length(1, 500_000) stop!: string;
  @Optional() @IsString() @Length(1, 20_000) spare?: string;
}

export class StopClientInput {
  @IsString() @Length(1, 100) client!: string;
  @Optional()
  @Matches(/^[1-9]\d{0,8}[smhd]$/, { message: '$property must be a duration such as 30m, 2h or 7d' })
  for?: string;
  @Optional() @IsString() @Length(1, 2000) reason?: string;
  @Optional() @IsBoolean() isForced?: boolean;
}

export class ReleaseClientInput {
  @IsString() @Length(1, 100) client!: string;
}

export class RulesForQuery {
  @IsString() @Length(1, 100) client!: string;
  @Optional() @IsString() @Length(1, 200) user?: string;
  @Optional() @IsISO8601({ strict: true }) at?: string;
  @Optional() @Matches(NAME, { message: '$property must be the name of a gate' }) gate?: string;
  @Optional() @IsAgainst() against?: ReplayPolicy;
}

export class ReadinessInput {
  /** Numbers of replays, as `1,2`. */
  @Optional()
  @Transform(({ value }: { value: unknown }) => (typeof value === 'string' ? value.split(',').map(Number) : value))
  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(50)
  @IsInt({ each: true })
  @Min(1, { each: true })
  replays?: number[];
}
