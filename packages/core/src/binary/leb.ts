/** Whole numbers up to 2^53 as LEB128: 7 bits a byte, the low ones first; the highest bit marks that more follow. */

const MAX_BYTES = 8;

export class LebWriter {
  #bytes: Uint8Array;
  #size = 0;

  /** @param room for so many bytes at first */
  constructor(room: number) {
    this.#bytes = new Uint8Array(Math.max(16, room));
  }

  push(value: number): void {
    if (this.#size + MAX_BYTES > this.#bytes.length) this.#makeRoom(MAX_BYTES);
    if (value < 0x80) {
      this.#bytes[this.#size++] = value;
      return;
    }
    let rest = value;
    while (rest >= 0x80) {
      this.#bytes[this.#size++] = (rest % 0x80) + 0x80;
      rest = Math.floor(rest / 0x80);
    }
    this.#bytes[this.#size++] = rest;
  }

  /** Other bytes between the numbers. */
  pushBytes(bytes: Uint8Array): void {
    this.#makeRoom(bytes.length);
    this.#bytes.set(bytes, this.#size);
    this.#size += bytes.length;
  }

  finish(): Uint8Array {
    return this.#bytes.subarray(0, this.#size);
  }

  #makeRoom(numBytes: number): void {
    if (this.#size + numBytes <= this.#bytes.length) return;
    const larger = new Uint8Array(Math.max(this.#bytes.length * 2, this.#size + numBytes));
    larger.set(this.finish());
    this.#bytes = larger;
  }
}

export class LebReader {
  constructor(
    private readonly bytes: Uint8Array,
    public at: number,
  ) {}

  next(): number {
    let byte = this.bytes[this.at++]!;
    if (byte < 0x80) return byte;
    let value = byte & 0x7f;
    let scale = 0x80;
    do {
      byte = this.bytes[this.at++]!;
      value += (byte & 0x7f) * scale;
      scale *= 0x80;
    } while (byte >= 0x80);
    return value;
  }

  /** So many other bytes, not copied. */
  nextBytes(numBytes: number): Uint8Array {
    this.at += numBytes;
    return this.bytes.subarray(this.at - numBytes, this.at);
  }
}

/** A number that is not negative, small for small ones: the lowest bit is the sign. */
export function toZigzag(value: number): number {
  return value < 0 ? -2 * value - 1 : 2 * value;
}

export function fromZigzag(value: number): number {
  // Shifting would cut large numbers off.
  if (value < 0x8000_0000) return (value >>> 1) ^ -(value & 1);
  return value % 2 === 0 ? value / 2 : -(value + 1) / 2;
}
