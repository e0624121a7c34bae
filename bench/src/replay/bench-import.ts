import { gzipSync } from 'node:zlib';
import { median, printTimes, timeRounds } from '../measure.js';
import { checkFrozenLog, frozenRequests } from './frozen.js';
import { formatCombined, formatNdjson } from './requests.js';
import { importCombined, storedBytes } from './stored-log.js';

const ROUNDS = 5;
const REQUESTS = 1_000_000;

/** Combined lines into stored columns beside JSON.parse over the same requests as NDJSON, each on one thread. */
export async function benchImport(): Promise<void> {
  checkFrozenLog();
  const lines: string[] = [];
  const records: string[] = [];
  for (const request of frozenRequests()) {
    lines.push(formatCombined(request));
    records.push(`${formatNdjson(request).trimEnd()}\n`);
    if (lines.length === REQUESTS) break;
  }
  const combined = Buffer.from(lines.join(''));
  const ndjson = Buffer.from(records.join(''));
  process.stdout.write(
    `import: ${REQUESTS.toLocaleString('en')} requests of the frozen log, ${(combined.length / REQUESTS).toFixed(0)} bytes a line, ${ROUNDS} interleaved rounds\n`,
  );
  let size = 0;
  const times = timeRounds(ROUNDS, {
    'JSON.parse': () => void parseEach(ndjson),
    'import': () => (size = storedBytes(importCombined(combined))),
  });
  printTimes(times, REQUESTS, 'lines');
  const ratio = median(times['JSON.parse']!) / median(times['import']!);
  const third = gzipSync(combined, { level: 6 }).length / 3;
  process.stdout.write(`  ${ratio.toFixed(2)} times the lines a second of JSON.parse (goal: 1)\n`);
  process.stdout.write(
    `  stored: ${(size / REQUESTS).toFixed(2)} bytes a request (goal: 18, and a third of gzip -6: ${(third / REQUESTS).toFixed(2)})\n`,
  );
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
