import { createHmac, randomBytes } from 'node:crypto';
import { Masker, type Mask } from '@jadefence/core/masking';

const KEY_BYTES = 32;

/** A masker whose pseudonyms are keyed hashes (HMAC-SHA-256): without the key they cannot be found by trying values. */
export class KeyedMasker extends Masker {
  /** @param key in hexadecimal */
  constructor(
    masks: readonly Mask[],
    readonly key: string,
  ) {
    const secret = Buffer.from(key, 'hex');
    super(masks, (value) => createHmac('sha256', secret).update(value).digest('hex'));
  }
}

/** A new key, in hexadecimal. */
export function generateMaskKey(): string {
  return randomBytes(KEY_BYTES).toString('hex');
}
