import { own } from './render/terminal.js';
import type { Streams } from './output.js';

const EVERY_MS = 250;
const MEGABYTE = 1_000_000;

/**
 * Passes bytes on and reports on stderr, where that is a terminal, how many have passed.
 * @param size of all bytes, where it is known
 */
export async function* showProgress(
  source: AsyncIterable<Uint8Array>,
  size: number | undefined,
  { stderr }: Streams,
): AsyncGenerator<Uint8Array> {
  let numBytes = 0;
  let shownMs = performance.now();
  let isShown = false;
  for await (const piece of source) {
    yield piece;
    numBytes += piece.length;
    if (!stderr.isTTY || performance.now() - shownMs < EVERY_MS) continue;
    shownMs = performance.now();
    isShown = true;
    stderr.write(
      `${own('\r')}${(numBytes / MEGABYTE).toFixed(0)} MB${size ? `, ${Math.floor((numBytes / size) * 100)}%` : ''} `,
    );
  }
  if (isShown) stderr.write(`${own('\r')}${own('\u001b[K')}`);
}
