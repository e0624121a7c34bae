import { readFile } from 'node:fs/promises';
import { MaskError, parseMasks, type Mask } from '@jadefence/core/masking';
import { generateMaskKey, KeyedMasker } from '@jadefence/files';
import { Option, type Command } from 'commander';
import { Failure } from '../cli-error.js';

export interface MaskOptions {
  readonly mask?: readonly Mask[];
  readonly maskKey?: string;
}

/** Masks such as `client=shorten,user=pseudonym`. */
export function addMaskOptions(command: Command): Command {
  return command
    .addOption(
      new Option('--mask <masks>', 'mask fields of requests, such as client=shorten,user=pseudonym').argParser(
        readMasks,
      ),
    )
    .option('--mask-key <file>', 'key of pseudonyms, so that several runs have the same (default: a new one)');
}

/** @throws Failure where a mask cannot be read */
export function readMasks(text: string): Mask[] {
  try {
    return parseMasks(text);
  } catch (error) {
    if (error instanceof MaskError) throw new Failure(error.message, undefined, error.hint);
    throw error;
  }
}

/** @throws Failure where the key cannot be read, or is none */
export async function maskerOf({ mask, maskKey }: MaskOptions): Promise<KeyedMasker | undefined> {
  if (!mask?.length) {
    if (maskKey === undefined) return undefined;
    throw new Failure(
      '--mask-key is used only with --mask.',
      undefined,
      'Add --mask client=pseudonym, or leave it out.',
    );
  }
  return new KeyedMasker(mask, maskKey === undefined ? generateMaskKey() : await readKey(maskKey));
}

async function readKey(path: string): Promise<string> {
  const text = await readFile(path, 'utf8').catch((error: NodeJS.ErrnoException) => {
    throw new Failure(`The key "${path}" cannot be read (${error.code}).`);
  });
  const key = text.trim().toLowerCase();
  if (/^[0-9a-f]{32,}$/.test(key) && key.length % 2 === 0) return key;
  throw new Failure(
    `The file "${path}" has no key.`,
    undefined,
    'Expected at least 32 hexadecimal digits: openssl rand -hex 32 > FILE.',
  );
}
