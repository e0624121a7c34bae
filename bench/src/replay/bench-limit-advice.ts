/** Advice about a limit over stored columns, compared with a replay by a rule with that limit. */
import { adviseLimit, PeakCounters, writeCountingRules, ADVICE_PATH } from '@jadefence/core/advice';
import { checkFences } from '@jadefence/core/check';
import { COMMON_COLUMNS } from '@jadefence/core/columns';
import { parseFences } from '@jadefence/core/language';
import { DEFAULT_MAX_KEYS, Program } from '@jadefence/core/match';
import { ChunkReplay } from '@jadefence/core/replay';
import { median, printTimes, timeRounds } from '../measure.js';
import { bytesOf } from './log-bytes.js';
import { checkFrozenLog, frozenPolicy, frozenRequests, releaseFixtures } from './pinned-workload.js';
import { replayStored } from './replay-engine.js';
import { formatCombined } from './requests.js';
import { importCombined, readChunks, type StoredChunk } from './stored-log.js';

const ROUNDS = 3;
const GOAL_SECONDS = 60;

export async function benchLimitAdvice(): Promise<void> {
  checkFrozenLog();
  const { statements } = parseFences(frozenPolicy(200).fences, 'frozen.fence').file;
  const rules = writeCountingRules(statements, { by: 'client, method', within: '5m' });
  const { rulebook } = checkFences([{ path: ADVICE_PATH, text: rules.text }], []);
  const advise = (stored: readonly StoredChunk[]): void => {
    const program = new Program({ rulebook: rulebook! });
    const counters = new PeakCounters(new Set([rules.counted]), DEFAULT_MAX_KEYS);
    const replay = new ChunkReplay(program, counters);
    for (const chunk of readChunks(stored, new Set([...program.attributes, ...COMMON_COLUMNS]))) replay.judge([chunk]);
    adviseLimit(counters, rules, 0);
  };
  for (const requests of [1_000_000, 10_000_000]) {
    const stored = importCombined(bytesOf(requests, formatCombined, frozenRequests(requests)));
    process.stdout.write(
      `limit-advice: ${requests.toLocaleString('en')} requests of the frozen log by client and method within 5 minutes, from stored columns, one thread, ${ROUNDS} interleaved rounds\n`,
    );
    const times = await timeRounds(ROUNDS, {
      advice: () => advise(stored),
      replay: () => replayStored({ rulebook: rulebook! }, stored),
    });
    printTimes(times, requests, 'requests');
    const [advice, replay] = [median(times['advice']!), median(times['replay']!)];
    process.stdout.write(
      `  advice takes ${(advice / replay).toFixed(2)} times as long as a replay by the limit${requests === 10_000_000 ? ` (goal: under ${GOAL_SECONDS} s)` : ''}\n`,
    );
  }
  releaseFixtures();
}
