import type { DefaultPage } from '@jadefence/core/pages';

/** The built-in pages as people name them. */
export const BUILT_IN_TEXTS: Record<DefaultPage, string> = {
  block: 'blocked',
  limit: 'too many requests',
  warn: 'warning',
  passphrase: 'passphrase',
  challenge: 'confirm once',
};
