/**
 * What earlier requests left behind, as stored: compressed with zlib, a byte of the version, the number of counters and
 * each of them, then the number of holds and each of them. A counter is its key, until when it is held, from when on it is
 * quiet, how many times it has and each as the difference from the one before; a hold its key and until when. A key is the
 * number of its bytes and those, in UTF-8. Numbers are whole, as LEB128, zigzag where they may be negative; until when
 * something is held is one more than that, or 0 for never. Releases before this wrote a `StoredState` in JSON.
 */
import { deflateSync, inflateSync } from 'node:zlib';
import type { Memory, StoredState } from '@jadefence/core';

const VERSION = 1;
const JSON_START = 0x7b;
/** As the core writes it of a counter that was never held. */
const NEVER = Number.MIN_SAFE_INTEGER;
const FIRST_BYTES = 65_536;
/** No number takes more. */
const MOST_LEB_BYTES = 8;

type Counter = StoredState['counters'][number];

/** Written counter by counter, since there may be millions, which would be many times as large as objects. */
export function packMemory(memory: Memory): Uint8Array {
  const [counters, numCounters] = pack(memory.counters(), writeCounter);
  const [holds, numHolds] = pack(memory.holds(), writeHold);
  const counts = [numCounters, numHolds].map((count) => {
    const writer = new Writer();
    writer.whole(count);
    return writer.taken();
  });
  return deflateSync(Buffer.concat([Buffer.of(VERSION), counts[0]!, counters, counts[1]!, holds]), { level: 1 });
}

/** @throws Error where it was written by a later release */
export function unpackState(packed: Uint8Array): StoredState {
  const bytes = inflateSync(packed);
  if (bytes[0] === JSON_START) return JSON.parse(bytes.toString('utf8')) as StoredState;
  if (bytes[0] !== VERSION) throw new Error(`A state has version ${bytes[0]}, expected ${VERSION}.`);
  const reader = new Reader(bytes, 1);
  const counters = Array.from({ length: reader.whole() }, () => readCounter(reader));
  const holds = Array.from({ length: reader.whole() }, (): [string, number] => [reader.text(), reader.signed()]);
  return { counters, holds };
}

function pack<T>(items: Iterable<T>, write: (writer: Writer, item: T) => void): [bytes: Uint8Array, count: number] {
  const writer = new Writer();
  let count = 0;
  for (const item of items) {
    write(writer, item);
    count += 1;
  }
  return [writer.taken(), count];
}

function writeCounter(writer: Writer, [key, { heldUntilUnixMs, quietFromUnixMs, stampsUnixMs }]: Counter): void {
  writer.text(key);
  if (heldUntilUnixMs === NEVER) writer.whole(0);
  else writer.whole(zigzag(heldUntilUnixMs) + 1);
  writer.signed(quietFromUnixMs);
  writer.whole(stampsUnixMs.length);
  let before = 0;
  for (const stamp of stampsUnixMs) {
    writer.signed(stamp - before);
    before = stamp;
  }
}

function readCounter(reader: Reader): Counter {
  const key = reader.text();
  const held = reader.whole();
  const quietFromUnixMs = reader.signed();
  let before = 0;
  const stampsUnixMs = Array.from({ length: reader.whole() }, () => (before += reader.signed()));
  return [key, { heldUntilUnixMs: held === 0 ? NEVER : unzigzag(held - 1), quietFromUnixMs, stampsUnixMs }];
}

function writeHold(writer: Writer, [key, untilUnixMs]: readonly [string, number]): void {
  writer.text(key);
  writer.signed(untilUnixMs);
}

function zigzag(value: number): number {
  return value < 0 ? -2 * value - 1 : 2 * value;
}

function unzigzag(value: number): number {
  return value % 2 === 0 ? value / 2 : -(value + 1) / 2;
}

class Writer {
  #bytes = Buffer.allocUnsafe(FIRST_BYTES);
  #size = 0;

  whole(value: number): void {
    this.#makeRoom(MOST_LEB_BYTES);
    let rest = value;
    for (; rest >= 0x80; rest = Math.floor(rest / 0x80)) this.#bytes[this.#size++] = (rest % 0x80) | 0x80;
    this.#bytes[this.#size++] = rest;
  }

  signed(value: number): void {
    this.whole(zigzag(value));
  }

  text(text: string): void {
    const numBytes = Buffer.byteLength(text);
    this.whole(numBytes);
    this.#makeRoom(numBytes);
    this.#size += this.#bytes.write(text, this.#size);
  }

  taken(): Uint8Array {
    return this.#bytes.subarray(0, this.#size);
  }

  #makeRoom(numBytes: number): void {
    if (this.#size + numBytes <= this.#bytes.length) return;
    const larger = Buffer.allocUnsafe(Math.max(this.#bytes.length * 2, this.#size + numBytes));
    larger.set(this.taken());
    this.#bytes = larger;
  }
}

class Reader {
  constructor(
    private readonly bytes: Buffer,
    private at: number,
  ) {}

  whole(): number {
    let value = 0;
    let scale = 1;
    let byte: number;
    do {
      byte = this.bytes[this.at++]!;
      value += (byte & 0x7f) * scale;
      scale *= 0x80;
    } while (byte >= 0x80);
    return value;
  }

  signed(): number {
    return unzigzag(this.whole());
  }

  text(): string {
    const numBytes = this.whole();
    const start = this.at;
    this.at += numBytes;
    return this.bytes.toString('utf8', start, this.at);
  }
}
