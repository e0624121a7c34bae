import type { Mask } from '@jadefence/core/masking';
import type { MaskingInput, UnmaskInput } from './server-masking.js';
import type { Shape } from './shape.js';

/** Which fields of requests are masked, and whether the caller sees their true values. */
export interface Masking {
  readonly masks: readonly Mask[];
  /** The caller sees true values: by a token that was created so, or for a while in this session. */
  readonly isUnmasked: boolean;
  /** Of a session: until when. */
  readonly unmaskedUntil: string | null;
}

export type MaskingRequest = Shape<MaskingInput>;
export type UnmaskRequest = Shape<UnmaskInput>;
