/** One line of a log before any format has looked at it. */
export interface Line {
  /** 1-based. */
  readonly number: number;
  /** Without its line break; invalid UTF-8 is U+FFFD. Of an overlong line only the first 200 bytes. */
  readonly text: string;
  readonly isOverlong: boolean;
}

export const DEFAULT_MAX_LINE_BYTES = 65_536;
const SHOWN_BYTES = 200;
const LINE_FEED = 0x0a;
const CARRIAGE_RETURN = 0x0d;

/**
 * Cuts a stream of bytes into lines, whatever the size of its pieces. LF and CRLF end a line, and a last line without a
 * break counts. Memory is bounded by the longest allowed line: the rest of an overlong line is skipped, not kept.
 */
export class LineSplitter {
  readonly #decoder = new TextDecoder('utf-8', { ignoreBOM: true });
  #carry: Uint8Array[] = [];
  #carryBytes = 0;
  #number = 0;

  /** Bytes of an unfinished line that are worth keeping: what a line may have, or what is shown of one that is too long. */
  readonly #keptBytes: number;

  constructor(private readonly maxLineBytes: number = DEFAULT_MAX_LINE_BYTES) {
    this.#keptBytes = Math.max(maxLineBytes, SHOWN_BYTES) + 1;
  }

  /** The lines that end within this piece. */
  push(piece: Uint8Array): Line[] {
    const lines: Line[] = [];
    let start = 0;
    for (let end = piece.indexOf(LINE_FEED); end >= 0; end = piece.indexOf(LINE_FEED, start)) {
      lines.push(this.#finishLine(piece.subarray(start, end)));
      start = end + 1;
    }
    if (start < piece.length) this.#keep(piece.subarray(start));
    return lines;
  }

  /** The line that the stream ended in without a line break, if any. */
  end(): Line[] {
    return this.#carryBytes > 0 ? [this.#finishLine(new Uint8Array())] : [];
  }

  /** Keeps a copy: the piece belongs to whoever pushed it. */
  #keep(bytes: Uint8Array): void {
    if (this.#carryBytes < this.#keptBytes) this.#carry.push(new Uint8Array(bytes.subarray(0, this.#keptBytes)));
    this.#carryBytes += bytes.length;
  }

  #finishLine(tail: Uint8Array): Line {
    this.#number += 1;
    let bytes = tail;
    let numBytes = tail.length;
    if (this.#carryBytes > 0) {
      numBytes += this.#carryBytes;
      bytes = concatenate([...this.#carry, tail.subarray(0, this.#keptBytes)]);
      this.#carry = [];
      this.#carryBytes = 0;
    }
    if (numBytes > this.maxLineBytes)
      return { number: this.#number, text: this.#decoder.decode(bytes.subarray(0, SHOWN_BYTES)), isOverlong: true };
    if (bytes.at(-1) === CARRIAGE_RETURN) bytes = bytes.subarray(0, -1);
    return { number: this.#number, text: this.#decoder.decode(bytes), isOverlong: false };
  }
}

function concatenate(parts: readonly Uint8Array[]): Uint8Array {
  const whole = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0));
  let at = 0;
  for (const part of parts) {
    whole.set(part, at);
    at += part.length;
  }
  return whole;
}

const encoder = new TextEncoder();

/** The first 200 bytes of a text, for showing a rejected line. */
export function startOf(text: string): string {
  const bytes = encoder.encode(text.slice(0, SHOWN_BYTES));
  return bytes.length <= SHOWN_BYTES
    ? text.slice(0, SHOWN_BYTES)
    : new TextDecoder().decode(bytes.subarray(0, SHOWN_BYTES)).replace(/\ufffd$/, '');
}
