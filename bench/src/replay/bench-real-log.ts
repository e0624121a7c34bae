import { median, printTimes, timeRounds } from '../measure.js';
import { releaseFixtures, frozenScenery } from './pinned-workload.js';
import { bytesOf } from './log-bytes.js';
import { formatReal, generateRealLines, headOf, REAL_FORMATS } from './real-requests.js';
import { formatCombined } from './requests.js';
import { importCombined, importLog } from './stored-log.js';

const ROUNDS = 5;
const REAL_REQUESTS = 200_000;
const REAL_SEED = 5;

/** A log as real ones are, compared with the plain one, and the same requests in other formats, all on one thread. */
export async function benchRealLog(): Promise<void> {
  const plain = bytesOf(REAL_REQUESTS, formatCombined);
  const lines = [...generateRealLines(frozenScenery(), REAL_SEED, REAL_REQUESTS)];
  const real = new Map(
    REAL_FORMATS.map((format) => [
      format,
      Buffer.from(headOf(format) + lines.map((line) => formatReal(format, line)).join('')),
    ]),
  );
  const slow = Buffer.from(
    lines
      .filter((line) => typeof line !== 'string')
      .map((line) => formatReal('combined-with-host', { ...line, agent: 'Heron/1\n' }))
      .join(''),
  );
  lines.length = 0;
  releaseFixtures();
  const times = await timeRounds(ROUNDS, {
    'plain': () => void importCombined(plain),
    ...Object.fromEntries([...real].map(([format, log]) => [format, () => void importLog(log, format)])),
    'slow path': () => void importLog(slow, 'combined-with-host'),
  });
  process.stdout.write(
    `real-log: ${REAL_REQUESTS.toLocaleString('en')} requests of a real log compared with as many plain ones\n`,
  );
  printTimes(times, REAL_REQUESTS, 'lines');
  const ratio = median(times['plain']!) / median(times['combined-with-host']!);
  const slowRatio = median(times['slow path']!) / median(times['plain']!);
  process.stdout.write(`  the real log: ${ratio.toFixed(2)} of the lines a second of the plain one (goal: 0.7)\n`);
  process.stdout.write(
    `  lines that all leave the fast path: ${slowRatio.toFixed(1)} times as long as plain ones (goal: 5)\n`,
  );
}
