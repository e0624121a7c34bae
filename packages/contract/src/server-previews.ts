/** What the service reads where something is counted over a log before it is saved. */
import { NAME } from '@jadefence/core/language';
import { IsString, Length, Matches } from 'class-validator';
import { IsAgainst, Optional } from './decorators.js';
import type { ReplayPolicy } from './replays.js';

export class CountMatchesInput {
  @IsString() @Length(1, 20_000) text!: string;
  @Optional() @Matches(NAME, { message: '$property must be the name of a fence' }) fence?: string;
  @Optional() @IsAgainst() against?: ReplayPolicy;
}

export class SectionsQuery {
  /** Only paths of this host and those below it. */
  @Optional() @IsString() @Length(1, 253) host?: string;
}

/** A gate as fence text, as it is edited. */
export class GatePreviewInput {
  @IsString() @Length(1, 200_000) text!: string;
}
