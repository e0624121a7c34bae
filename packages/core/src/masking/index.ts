export { maskCounts } from './mask-counts.js';
export { HIDDEN, type Digest, Masker } from './masker.js';
export {
  checkMask,
  type Mask,
  MASK_METHODS,
  MaskError,
  type MaskMethod,
  MASKED_FIELDS,
  type MaskedField,
  parseMask,
  parseMasks,
  printMask,
  printMaskedField,
  requireDistinct,
} from './masks.js';
