/** The answers from logs over stored columns and their decisions: each compared with a replay of the same log. */
import { createTally, addTally, ChunkReplay, RecordedComparison, type Tally } from '@jadefence/core/replay';
import { COMMON_COLUMNS } from '@jadefence/core/columns';
import type { EvaluationContext, Ruling } from '@jadefence/core/decide';
import { Program } from '@jadefence/core/match';
import {
  assessReadiness,
  CHOSEN,
  findInTraffic,
  ProposalCounter,
  RuleSearch,
  SPARED,
  TrafficCounts,
  TrialCounter,
} from '@jadefence/core/traffic';
import { median, printTimes, timeRounds } from '../measure.js';
import { bytesOf } from './log-bytes.js';
import { checkFrozenLog, frozenRequests, releaseFixtures } from './pinned-workload.js';
import { frozenJudge, frozenWorld, replayStored } from './replay-engine.js';
import { formatCombined } from './requests.js';
import { importCombined, readChunks, type StoredChunk } from './stored-log.js';

const ROUNDS = 3;
const SUGGEST_GOAL_SECONDS = 10;

/** What a replay leaves behind. */
interface Decided {
  readonly codes: readonly Uint32Array[];
  readonly rulings: readonly Ruling[];
  readonly tally: Tally;
}

export async function benchAnswers(): Promise<void> {
  checkFrozenLog();
  const context = frozenJudge(200, frozenWorld());
  for (const requests of [1_000_000, 10_000_000]) {
    const stored = importCombined(bytesOf(requests, formatCombined, frozenRequests(requests)));
    const decided = decide(context, stored);
    process.stdout.write(
      `answers: ${requests.toLocaleString('en')} requests of the frozen log by 200 rules, from stored columns and codes, one thread, ${ROUNDS} interleaved rounds\n`,
    );
    const times = await timeRounds(ROUNDS, {
      replay: () => replayStored(context, stored),
      recorded: () => recorded(stored, decided),
      readiness: () => readiness(context, stored, decided),
      findings: () => findings(context, stored, decided),
      suggest: () => suggest(context, stored, decided),
    });
    printTimes(times, requests, 'requests');
    process.stdout.write(
      `  suggest takes ${median(times['suggest']!).toFixed(1)} s${requests === 1_000_000 ? ` (goal: under ${SUGGEST_GOAL_SECONDS} s)` : ''}\n`,
    );
  }
  releaseFixtures();
}

function decide(context: EvaluationContext, stored: readonly StoredChunk[]): Decided {
  const program = new Program(context);
  const replay = new ChunkReplay(program);
  const tally = createTally();
  const codes: Uint32Array[] = [];
  for (const chunk of readChunks(stored, new Set([...program.attributes, ...COMMON_COLUMNS]))) {
    const judged = replay.judge([chunk]);
    codes.push(judged.codes);
    addTally(tally, judged.tally);
  }
  return { codes, rulings: replay.table.rulings, tally };
}

function recorded(stored: readonly StoredChunk[], { codes, rulings }: Decided): void {
  const comparison = new RecordedComparison(rulings, () => undefined);
  let at = 0;
  for (const chunk of readChunks(stored, new Set(['http.response.status_code', ...COMMON_COLUMNS])))
    comparison.add(chunk, codes[at++]!);
  comparison.tally();
}

function readiness(context: EvaluationContext, stored: readonly StoredChunk[], { codes, rulings }: Decided): void {
  const [fence] = context.rulebook.fences;
  const counter = new TrialCounter(context, fence!.name);
  let at = 0;
  for (const chunk of readChunks(stored, new Set([...counter.attributes, ...COMMON_COLUMNS])))
    counter.add(chunk, codes[at++]!, rulings);
  assessReadiness(fence!, context.rulebook, [counter]);
}

function findings(
  context: EvaluationContext,
  stored: readonly StoredChunk[],
  { codes, rulings, tally }: Decided,
): void {
  const counts = new TrafficCounts(context);
  let at = 0;
  for (const chunk of readChunks(stored, new Set([...counts.attributes, ...COMMON_COLUMNS])))
    counts.add(chunk, codes[at++]!, rulings);
  findInTraffic(counts, tally);
}

/** What one rule stops is chosen, all others are spared. */
function suggest(context: EvaluationContext, stored: readonly StoredChunk[], { codes, rulings }: Decided): void {
  const wanted = rulings.find(({ outcome, rule }) => outcome === 'blocked' && rule !== undefined)?.rule;
  const purposesOf = (chunk: Uint32Array): Uint8Array =>
    Uint8Array.from(chunk, (code) => (rulings[code]?.rule === wanted ? CHOSEN : SPARED));
  const search = new RuleSearch(context);
  let at = 0;
  for (const chunk of readChunks(stored, new Set([...search.attributes, ...COMMON_COLUMNS]))) {
    search.add(chunk, codes[at]!, rulings, purposesOf(codes[at]!));
    at += 1;
  }
  const counter = new ProposalCounter(context, search.propose());
  at = 0;
  for (const chunk of readChunks(stored, new Set([...counter.attributes, ...COMMON_COLUMNS]))) {
    counter.add(chunk, codes[at]!, purposesOf(codes[at]!));
    at += 1;
  }
  counter.result();
}
