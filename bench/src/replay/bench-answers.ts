/** The answers from logs over stored columns and their decisions: each compared with a replay of the same log. */
import { createTally, addTally, ChunkReplay, RecordedComparison, type Tally } from '@jadefence/core/replay';
import { COMMON_COLUMNS } from '@jadefence/core/columns';
import type { EvaluationContext, Ruling } from '@jadefence/core/decide';
import { Program } from '@jadefence/core/match';
import {
  assessReadiness,
  countTrial,
  type DecidedChunk,
  type DecidedLog,
  headerNames,
  reviewTraffic,
  suggestRules,
} from '@jadefence/core/traffic';
import { median, printTimes, timeRounds } from '../measure.js';
import { bytesOf } from './log-bytes.js';
import { checkFrozenLog, frozenRequests, releaseFixtures } from './pinned-workload.js';
import { frozenJudge, frozenWorld, replayStored } from './replay-engine.js';
import { formatCombined } from './requests.js';
import { importCombined, readChunks, type StoredChunk } from './stored-log.js';

const ROUNDS = { 1_000_000: 3, 10_000_000: 1 } as const;
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
  for (const requests of [1_000_000, 10_000_000] as const) {
    const stored = importCombined(bytesOf(requests, formatCombined, frozenRequests(requests)));
    const decided = decide(context, stored);
    const log = logOf(context, stored, decided);
    process.stdout.write(
      `answers: ${requests.toLocaleString('en')} requests of the frozen log by 200 rules, from stored columns and codes, one thread, ${ROUNDS[requests]} interleaved rounds\n`,
    );
    const times = await timeRounds(ROUNDS[requests], {
      replay: () => replayStored(context, stored),
      recorded: () => recorded(stored, decided),
      readiness: () => readiness(log),
      findings: () => findings(log, decided),
      suggest: () => suggest(log, decided),
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

function logOf(context: EvaluationContext, stored: readonly StoredChunk[], { codes, rulings }: Decided): DecidedLog {
  async function* chunks(attributes: readonly string[]): AsyncGenerator<DecidedChunk> {
    let chunk = 0;
    for (const rows of readChunks(stored, new Set([...attributes, ...COMMON_COLUMNS]))) {
      yield { chunk, rows, codes: codes[chunk]! };
      chunk += 1;
    }
  }
  return {
    context,
    rulings,
    headers: async () => headerNames(stored.flatMap(({ columns }) => columns.map(([name]) => name))),
    chunks,
    async *segments(attributes) {
      for await (const chunk of chunks(attributes)) yield { chunks: [chunk] };
    },
  };
}

async function readiness(log: DecidedLog): Promise<void> {
  const [fence] = log.context.rulebook.fences;
  assessReadiness(fence!, log.context.rulebook, [await countTrial(log, fence!.name)]);
}

async function findings(log: DecidedLog, { tally }: Decided): Promise<void> {
  await reviewTraffic(log, tally);
}

/** What one rule stops is chosen, all others are spared. */
async function suggest(log: DecidedLog, { codes, rulings }: Decided): Promise<void> {
  const wanted = rulings.find(({ outcome, rule }) => outcome === 'blocked' && rule !== undefined)?.rule;
  const rowsOf = (chunk: Uint32Array): Uint32Array =>
    Uint32Array.from([...chunk.keys()].filter((row) => rulings[chunk[row]!]?.rule === wanted));
  await suggestRules(log, { chosen: new Map(codes.map((chunk, number) => [number, rowsOf(chunk)])) });
}
