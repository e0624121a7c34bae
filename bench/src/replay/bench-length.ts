/** A log, and one ten times as long: imported, and replayed from the store by 200 rules, on one thread. */
import { median, printTimes, timeRounds } from '../measure.js';
import { frozenJudge, frozenWorld, replayStored } from './replay-engine.js';
import { checkFrozenLog, releaseFixtures } from './pinned-workload.js';
import { bytesOf } from './log-bytes.js';
import { formatCombined } from './requests.js';
import { importCombined } from './stored-log.js';

const ROUNDS = 3;
const SHORT = 200_000;
const LONG = 2_000_000;

export async function benchLength(): Promise<void> {
  checkFrozenLog();
  const context = frozenJudge(200, frozenWorld());
  const long = bytesOf(LONG, formatCombined);
  const short = bytesOf(SHORT, formatCombined);
  releaseFixtures();
  const [storedShort, storedLong] = [importCombined(short), importCombined(long)];
  process.stdout.write(
    `length: ${SHORT.toLocaleString('en')} requests of the frozen log and ${LONG.toLocaleString('en')}, one thread, ${ROUNDS} interleaved rounds\n`,
  );
  const times = await timeRounds(ROUNDS, {
    'import, short': () => void importCombined(short),
    'import, long': () => void importCombined(long),
    'replay, short': () => replayStored(context, storedShort),
    'replay, long': () => replayStored(context, storedLong),
  });
  for (const work of ['import', 'replay']) {
    const [ofShort, ofLong] = [times[`${work}, short`]!, times[`${work}, long`]!];
    printTimes({ [`${work}, short`]: ofShort }, SHORT, 'requests');
    printTimes({ [`${work}, long`]: ofLong }, LONG, 'requests');
    process.stdout.write(
      `  ${work}: ten times as long a log takes ${(median(ofLong) / median(ofShort)).toFixed(1)} times as long (goal: at most 11)\n`,
    );
  }
}
