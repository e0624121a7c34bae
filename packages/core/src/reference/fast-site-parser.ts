/**
 * Lines of a feed as they nearly always are, read in their bytes without a string a line: a domain in lower case, and
 * behind a comma a category, if lines have one. Any other line is left to the text reader.
 */
const DASH = 0x2d;
const DOT = 0x2e;
const COMMA = 0x2c;
const LINE_FEED = 0x0a;
const CARRIAGE_RETURN = 0x0d;
const MAX_LABEL = 63;
const MAX_NAME = 253;
/** What a byte may be in a domain: nothing, a letter, a digit, or another character of a label. */
const [LETTER, DIGIT, OTHER] = [1, 2, 3];
const CLASSES = Uint8Array.from({ length: 256 }, (_, byte) => {
  const character = String.fromCharCode(byte);
  return /[a-z]/.test(character) ? LETTER : /[0-9]/.test(character) ? DIGIT : /[_-]/.test(character) ? OTHER : 0;
});

/** Where the parts of a line lie. */
export class FastSiteParser {
  hostEnd = 0;
  numLabels = 0;
  /** The range of its category; empty if it has none. */
  categoryStart = 0;
  categoryEnd = 0;
  /** Behind its line feed. */
  end = 0;

  /** Reads the line that begins at `start`. @returns false where it is not well-formed, or does not end in these bytes */
  read(bytes: Uint8Array, start: number): boolean {
    const hostEnd = this.#readHost(bytes, start);
    if (hostEnd < 0) return false;
    let at = hostEnd;
    this.categoryStart = at;
    if (bytes[at] === COMMA) {
      this.categoryStart = at += 1;
      if (CLASSES[bytes[at]!] !== LETTER) return false;
      while (at < bytes.length && CLASSES[bytes[at]!] !== 0) at += 1;
    }
    this.hostEnd = hostEnd;
    this.categoryEnd = at;
    if (bytes[at] === CARRIAGE_RETURN) at += 1;
    this.end = at + 1;
    return bytes[at] === LINE_FEED;
  }

  /** @returns where a domain of at least two labels ends, or -1 */
  #readHost(bytes: Uint8Array, start: number): number {
    let labelStart = start;
    let numLabels = 1;
    let kind = 0;
    let at = start;
    for (; at < bytes.length; at += 1) {
      const byte = bytes[at]!;
      const byteClass = CLASSES[byte]!;
      if (byteClass !== 0) {
        kind = byteClass;
        // What begins with these characters may encode letters beyond ASCII.
        if (byte === DASH && bytes[at - 1] === DASH && bytes[at - 2] === 0x6e && bytes[at - 3] === 0x78) return -1;
        continue;
      }
      if (at === labelStart || at - labelStart > MAX_LABEL) return -1;
      if (byte !== DOT) break;
      numLabels += 1;
      labelStart = at + 1;
    }
    this.numLabels = numLabels;
    // What ends with a digit may be an address.
    return numLabels === 1 || kind === DIGIT || at - start > MAX_NAME ? -1 : at;
  }
}
