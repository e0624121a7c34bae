/** What the service reads of users, passwords and tokens. */
import { IsBoolean, IsIn, IsInt, IsString, Length, Max, Min } from 'class-validator';
import { Optional } from './decorators.js';
import { ROLES, type Role } from './users.js';

export class SignInInput {
  @IsString() @Length(1, 100) name!: string;
  @IsString() @Length(1, 1000) password!: string;
}

export class SignInTokenInput {
  @IsString() @Length(1, 100) signInName!: string;
  @IsString() @Length(1, 1000) password!: string;
  @IsString() @Length(1, 100) name!: string;
  @IsIn(ROLES) scope!: Role;
  /** Of an administrator: shows true values where fields are masked. */
  @Optional() @IsBoolean() unmask?: boolean;
}

export class NewPasswordInput {
  /** The one that holds now. */
  @IsString() @Length(1, 1000) password!: string;
  @IsString() @Length(12, 1000) newPassword!: string;
}

export class NewTokenInput {
  @IsString() @Length(1, 100) name!: string;
  @IsIn(ROLES) scope!: Role;
  @Optional() @IsInt() @Min(1) @Max(3650) expiresInDays?: number;
  @Optional() @IsBoolean() unmask?: boolean;
}
