/** What the service reads about masking. */
import { MASK_METHODS, MASKED_FIELDS, type MaskedField, type MaskMethod } from '@jadefence/core/masking';
import { IsIn, IsInt, IsString, Length, Max, Min } from 'class-validator';
import { IsListOf, Optional } from './decorators.js';

export class MaskInput {
  @IsIn(MASKED_FIELDS) field!: MaskedField;
  /** Of a header, query parameter or cookie: its name. */
  @Optional() @IsString() @Length(1, 200) parameter?: string;
  @IsIn(MASK_METHODS) method!: MaskMethod;
}

export class MaskingInput {
  /** All of them; what is not here is not masked any more. */
  @IsListOf(() => MaskInput, { max: 100 }) masks!: MaskInput[];
}

export class UnmaskInput {
  @IsInt() @Min(1) @Max(480) minutes!: number;
  /** For the audit trail. */
  @IsString() @Length(3, 500) reason!: string;
}
