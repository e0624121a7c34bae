/**
 * What earlier requests left behind, as stored: compressed with zlib, a byte of the version, the number of counters and
 * each of them, then the number of holds and each of them. A counter is its key, until when it is held, from when on it is
 * quiet, how many times it has and each as the difference from the one before; a hold its key and until when. A key is the
 * number of its bytes and those, in UTF-8. Numbers are whole, as LEB128, zigzag where they may be negative; until when
 * something is held is one more than that, or 0 for never. Then come the number of levels and each of them: its key, its
 * digits as text, its time and when it is full. Releases before this wrote no levels, or a `StoredState` in JSON.
 */
import { deflateSync, inflateSync } from 'node:zlib';
import { fromZigzag, LebWriter, LebReader, toZigzag } from '@jadefence/core/binary';
import type { StoredState } from '@jadefence/core/decide';
import type { CounterStore } from '@jadefence/core/match';

const VERSION = 2;
/** The version before, which has no levels. */
const WITHOUT_LEVELS = 1;
const JSON_START = 0x7b;
/** As the core writes it of a counter that was never held. */
const NEVER = Number.MIN_SAFE_INTEGER;
const FIRST_BYTES = 65_536;
const decoder = new TextDecoder('utf-8', { ignoreBOM: true });

type Counter = StoredState['counters'][number];
type Level = NonNullable<StoredState['levels']>[number];

/** Written counter by counter, since there may be millions, which would be many times as large as objects. */
export function packMemory(memory: CounterStore): Uint8Array {
  const [counters, numCounters] = pack(memory.counters(), writeCounter);
  const [holds, numHolds] = pack(memory.holds(), writeHold);
  const [levels, numLevels] = pack(memory.levels(), writeLevel);
  const counts = [numCounters, numHolds, numLevels].map((count) => {
    const writer = new LebWriter(0);
    writer.push(count);
    return writer.finish();
  });
  const parts = [Buffer.of(VERSION), counts[0]!, counters, counts[1]!, holds, counts[2]!, levels];
  return deflateSync(Buffer.concat(parts), { level: 1 });
}

/** @throws Error where it was written by a later release */
export function unpackState(packed: Uint8Array): StoredState {
  const bytes = inflateSync(packed);
  if (bytes[0] === JSON_START) return JSON.parse(bytes.toString('utf8')) as StoredState;
  if (bytes[0] !== VERSION && bytes[0] !== WITHOUT_LEVELS)
    throw new Error(`A state has version ${bytes[0]}, expected ${VERSION}.`);
  const reader = new LebReader(bytes, 1);
  const counters = Array.from({ length: reader.next() }, () => readCounter(reader));
  const holds = Array.from({ length: reader.next() }, (): [string, number] => [
    readText(reader),
    fromZigzag(reader.next()),
  ]);
  if (bytes[0] === WITHOUT_LEVELS) return { counters, holds };
  const levels = Array.from({ length: reader.next() }, () => readLevel(reader));
  return { counters, holds, levels };
}

function pack<T>(items: Iterable<T>, write: (writer: LebWriter, item: T) => void): [bytes: Uint8Array, count: number] {
  const writer = new LebWriter(FIRST_BYTES);
  let count = 0;
  for (const item of items) {
    write(writer, item);
    count += 1;
  }
  return [writer.finish(), count];
}

function writeCounter(writer: LebWriter, [key, { heldUntilUnixMs, quietFromUnixMs, stampsUnixMs }]: Counter): void {
  writeText(writer, key);
  writer.push(heldUntilUnixMs === NEVER ? 0 : toZigzag(heldUntilUnixMs) + 1);
  writer.push(toZigzag(quietFromUnixMs));
  writer.push(stampsUnixMs.length);
  let before = 0;
  for (const stamp of stampsUnixMs) {
    writer.push(toZigzag(stamp - before));
    before = stamp;
  }
}

function readCounter(reader: LebReader): Counter {
  const key = readText(reader);
  const held = reader.next();
  const quietFromUnixMs = fromZigzag(reader.next());
  let before = 0;
  const stampsUnixMs = Array.from({ length: reader.next() }, () => (before += fromZigzag(reader.next())));
  return [key, { heldUntilUnixMs: held === 0 ? NEVER : fromZigzag(held - 1), quietFromUnixMs, stampsUnixMs }];
}

function writeHold(writer: LebWriter, [key, untilUnixMs]: readonly [string, number]): void {
  writeText(writer, key);
  writer.push(toZigzag(untilUnixMs));
}

function writeLevel(writer: LebWriter, [key, { level, atUnixMs, fullFromUnixMs }]: Level): void {
  writeText(writer, key);
  writeText(writer, level);
  // Times may be larger than the numbers of this format.
  writeText(writer, `${atUnixMs} ${fullFromUnixMs}`);
}

function readLevel(reader: LebReader): Level {
  const [key, level, times] = [readText(reader), readText(reader), readText(reader)];
  const [atUnixMs, fullFromUnixMs] = times.split(' ').map(Number) as [number, number];
  return [key, { level, atUnixMs, fullFromUnixMs }];
}

function writeText(writer: LebWriter, text: string): void {
  const bytes = Buffer.from(text);
  writer.push(bytes.length);
  writer.pushBytes(bytes);
}

function readText(reader: LebReader): string {
  return decoder.decode(reader.nextBytes(reader.next()));
}
