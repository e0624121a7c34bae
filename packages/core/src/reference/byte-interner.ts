const HASH_START = 0x811c9dc5;
const HASH_PRIME = 0x01000193;
const NUM_PLACES = 4096;
const decoder = new TextDecoder();

/** Numbers of words that come up again and again, found by their bytes. */
export class ByteInterner {
  readonly #words: ({ readonly bytes: Uint8Array; readonly number: number } | undefined)[] = Array.from({
    length: NUM_PLACES,
  });

  /**
   * @param find returns the number of an ASCII word that was not seen lately
   * @returns the number
   */
  find(bytes: Uint8Array, start: number, end: number, find: (word: string) => number | undefined): number | undefined {
    let hash = HASH_START;
    for (let at = start; at < end; at += 1) hash = Math.imul(hash ^ bytes[at]!, HASH_PRIME);
    const place = (hash ^ (hash >>> 15)) & (NUM_PLACES - 1);
    const known = this.#words[place];
    if (known && isSame(known.bytes, bytes, start, end)) return known.number;
    const number = find(decoder.decode(bytes.subarray(start, end)));
    if (number !== undefined) this.#words[place] = { bytes: bytes.slice(start, end), number };
    return number;
  }
}

function isSame(word: Uint8Array, bytes: Uint8Array, start: number, end: number): boolean {
  if (word.length !== end - start) return false;
  for (let at = 0; at < word.length; at += 1) if (word[at] !== bytes[start + at]) return false;
  return true;
}
