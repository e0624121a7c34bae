import { createHash } from 'node:crypto';
import { gzipSync } from 'node:zlib';
import { median, printTimes, Stages, timeRounds } from '../measure.js';
import { Side } from '../subprocess.js';
import { checkFrozenLog, releaseFixtures } from './pinned-workload.js';
import { bytesOf } from './log-bytes.js';
import { formatCombined, formatNdjson } from './requests.js';
import { importCombined, importInTwoThreads, storedBytes, type StoredChunk } from './stored-log.js';

const ROUNDS = 5;
const REQUESTS = 2_000_000;

/** Combined lines into stored columns compared with JSON.parse over the same requests as NDJSON, each on one thread. */
export async function benchImport(): Promise<void> {
  checkFrozenLog();
  const combined = bytesOf(REQUESTS, formatCombined);
  const ndjson = bytesOf(REQUESTS, formatNdjson);
  releaseFixtures();
  const apart = [0, 1].map(() => new Side(new URL('./import-side.ts', import.meta.url), [`${REQUESTS}`]));
  await Promise.all(apart.map((side) => side.do('begin')));
  process.stdout.write(
    `import: ${REQUESTS.toLocaleString('en')} requests of the frozen log, ${(combined.length / REQUESTS).toFixed(0)} bytes a line, ${ROUNDS} interleaved rounds\n`,
  );
  const stages = new Stages();
  let item: readonly StoredChunk[] = [];
  let two: readonly StoredChunk[] = [];
  const times = await timeRounds(ROUNDS, {
    'JSON.parse': () => void parseEach(ndjson),
    'one thread': () => void (item = importCombined(combined, stages)),
    'two threads': async () => void (two = await importInTwoThreads(combined)),
    'two apart': async () => void (await Promise.all(apart.map((side) => side.do('import')))),
  });
  for (const side of apart) side.end();
  const { 'two apart': twoApart, ...ofOne } = times;
  printTimes(ofOne, REQUESTS, 'lines');
  printTimes({ 'two apart': twoApart! }, 2 * REQUESTS, 'lines');
  const size = storedBytes(item);
  const ratio = median(times['JSON.parse']!) / median(times['one thread']!);
  const speedUp = median(times['one thread']!) / median(times['two threads']!);
  const atMost = (2 * median(times['one thread']!)) / median(twoApart!);
  const third = gzipSync(combined, { level: 6 }).length / 3;
  process.stdout.write(`  one thread: ${ratio.toFixed(2)} times the lines a second of JSON.parse (goal: 1)\n`);
  process.stdout.write(
    `  two threads: ${speedUp.toFixed(2)} times one (goal: 1.5); the bytes are ${hashOf(item) === hashOf(two) ? 'the same' : 'NOT THE SAME'}\n`,
  );
  process.stdout.write(
    `  two imports that share nothing, each in its own process: ${atMost.toFixed(2)} times one, which is all that the machine has\n`,
  );
  process.stdout.write(
    `  stored: ${(size / REQUESTS).toFixed(2)} bytes a request (goal: 18, and a third of gzip -6: ${(third / REQUESTS).toFixed(2)})\n`,
  );
  stages.print('one thread');
}

function hashOf(chunks: readonly StoredChunk[]): string {
  const hash = createHash('sha256');
  for (const { numRows, beginsSegment, columns, dictionaries } of chunks) {
    hash.update(`${numRows} ${beginsSegment}`);
    for (const [name, bytes] of [...columns, ...dictionaries]) hash.update(name).update(bytes);
  }
  return hash.digest('hex');
}

function parseEach(ndjson: Buffer): number {
  let numKeys = 0;
  let start = 0;
  for (let end = ndjson.indexOf(10); end >= 0; end = ndjson.indexOf(10, start)) {
    numKeys += Object.keys(JSON.parse(ndjson.subarray(start, end).toString()) as object).length;
    start = end + 1;
  }
  return numKeys;
}
