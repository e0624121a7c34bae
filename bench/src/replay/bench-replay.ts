import { COMMON_COLUMNS, type ChunkRows } from '@jadefence/core/columns';
import type { EvaluationContext } from '@jadefence/core/decide';
import { Program } from '@jadefence/core/match';
import { ChunkReplay } from '@jadefence/core/replay';
import type { LogRecord } from '@jadefence/core/request';
import { SequentialReplay } from '@jadefence/core/test';
import { Random } from '@jadefence/demo';
import { median, printTimes, timeRounds } from '../measure.js';
import { Side } from '../subprocess.js';
import { checkFrozenLog, frozenPolicy, frozenRequests, frozenScenery, type PolicySize } from './pinned-workload.js';
import { createMemoised } from './memoized-loop.js';
import { createPlain } from './naive-loop.js';
import type { BenchRule } from './policy.js';
import { createReferenceData } from './reference-data.js';
import { frozenJudge, frozenWorld } from './replay-engine.js';
import { formatCombined, type BenchRequest } from './requests.js';
import { importCombined, readChunks } from './stored-log.js';

const ROUNDS = 5;
const REQUESTS = 1_000_000;
/** Of each size of policy, over how many of the first requests the loops are timed: they would take hours for all. */
const PLAIN_REQUESTS = { 200: 20_000, 1000: 5000, 5000: 2000 } as const;
const DRAWN = 20_000;

/** Replays compared with two loops over the same requests. */
export async function benchReplay(): Promise<void> {
  checkFrozenLog();
  process.stdout.write(
    `replay: ${REQUESTS.toLocaleString('en')} requests of the frozen log, ${ROUNDS} interleaved rounds, one thread, nothing kept from round to round\n`,
  );
  const seconds: Partial<Record<PolicySize, number>> = {};
  for (const size of [200, 5000] as const) seconds[size] = await comparePolicy(size);
  process.stdout.write(
    `  5,000 rules take ${(seconds[5000]! / seconds[200]!).toFixed(2)} times as long as 200 (goal: 2)\n`,
  );
  checkAgreement();
}

/** @returns how long a replay from the store takes, in seconds */
async function comparePolicy(size: PolicySize): Promise<number> {
  const numPlain = PLAIN_REQUESTS[size];
  const numMemoised = size === 200 ? REQUESTS : numPlain;
  const url = new URL('./replay-sides.ts', import.meta.url);
  const loops = new Side(url, ['loops', `${size}`, `${numMemoised}`, `${numPlain}`]);
  const ours = new Side(url, ['ours', `${size}`, `${REQUESTS}`]);
  await Promise.all([loops.do('begin'), ours.do('begin')]);
  process.stdout.write(` ${size.toLocaleString('en')} rules\n`);
  const times = await timeRounds(ROUNDS, {
    'plain': () => loops.do('plain'),
    'memoised': () => loops.do('memoised'),
    'stored': () => ours.do('stored'),
    'in memory': () => ours.do('in memory'),
  });
  printTimes({ plain: times['plain']! }, numPlain, 'requests');
  printTimes({ memoised: times['memoised']! }, numMemoised, 'requests');
  printTimes({ 'stored': times['stored']!, 'in memory': times['in memory']! }, REQUESTS, 'requests');
  const rate = (name: string, count: number): number => count / median(times[name]!);
  for (const name of ['stored', 'in memory']) {
    const rateOfOurs = rate(name, REQUESTS);
    process.stdout.write(
      `  ${name}: ${(rateOfOurs / rate('plain', numPlain)).toFixed(0)} times plain, ${(rateOfOurs / rate('memoised', numMemoised)).toFixed(1)} times memoised\n`,
    );
  }
  process.stdout.write(await ours.do<string>('stages'));
  for (const side of [loops, ours]) side.end();
  return median(times['stored']!);
}

function checkAgreement(): void {
  const requests: BenchRequest[] = [];
  for (const request of frozenRequests()) if (requests.push(request) === REQUESTS) break;
  const referenceData = frozenWorld();
  for (const size of [200, 5000] as const) {
    const context = frozenJudge(size, referenceData);
    const { rules } = frozenPolicy(size);
    process.stdout.write(` agreement, ${size.toLocaleString('en')} rules\n`);
    if (size === 200) printWholeAgreement(context, rules, requests);
    printAgreement(size, context, rules, requests);
  }
}

/** Whether the same rule decides each request of the log, by a hash of lines and rules whose order does not matter. */
function printWholeAgreement(
  context: EvaluationContext,
  rules: readonly BenchRule[],
  requests: readonly BenchRequest[],
): void {
  const replay = new ChunkReplay(new Program(context));
  const codes = [...chunksOf(requests, context)].map((rows) => replay.judge([rows]).codes);
  const numberOf = new Map<string | undefined, number>(rules.map(({ name }, index) => [name, index]));
  const ruleOf = replay.table.rulings.map(({ rule }) => numberOf.get(rule) ?? -1);
  const memoised = createMemoised(rules, createReferenceData(frozenScenery()));
  let [ours, theirs, line] = [0, 0, 0];
  let differing: string | undefined;
  for (const chunk of codes)
    for (const code of chunk) {
      const expected = memoised(requests[line]!);
      line += 1;
      ours = (ours + mix(line, ruleOf[code]!)) >>> 0;
      theirs = (theirs + mix(line, expected)) >>> 0;
      if (ruleOf[code] !== expected)
        differing ??= `line ${line} is decided by ${rules[ruleOf[code]!]?.name}, memoized by ${rules[expected]?.name}`;
    }
  process.stdout.write(
    `  hash of lines and deciding rules, all ${line.toLocaleString('en')}: ${ours.toString(16)}, memoised ${theirs.toString(16)}${differing ? `; ${differing}` : ''}\n`,
  );
}

function chunksOf(requests: readonly BenchRequest[], context: EvaluationContext): Iterable<ChunkRows> {
  const stored = importCombined(Buffer.concat(requests.map((request) => Buffer.from(formatCombined(request)))));
  return readChunks(stored, new Set([...new Program(context).attributes, ...COMMON_COLUMNS]));
}

/** Spreads two numbers over 32 bits (the finisher of MurmurHash3). */
function mix(line: number, rule: number): number {
  let mixed = Math.imul(line, 0x9e3779b1) ^ Math.imul(rule + 1, 0x85ebca6b);
  mixed = Math.imul(mixed ^ (mixed >>> 16), 0x85ebca6b);
  mixed = Math.imul(mixed ^ (mixed >>> 13), 0xc2b2ae35);
  return (mixed ^ (mixed >>> 16)) >>> 0;
}

/** Whether the same rule decides each of some requests, drawn at random and judged in order. */
function printAgreement(
  size: PolicySize,
  context: EvaluationContext,
  rules: readonly BenchRule[],
  requests: readonly BenchRequest[],
): void {
  const random = new Random(size);
  const drawn = requests.filter(() => random.chance(DRAWN / requests.length));
  const [chunk] = chunksOf(drawn, context);
  const replay = new ChunkReplay(new Program(context));
  const { codes } = replay.judge([chunk!]);
  const plain = createPlain(rules, createReferenceData(frozenScenery()));
  const interpreter = new SequentialReplay(context);
  let differing = 0;
  drawn.forEach((request, index) => {
    const expected = rules[plain(request)]?.name;
    const ours = replay.table.rulings[codes[index]!]!.rule;
    const read = interpreter.next(chunk!.row(index) as LogRecord).decision.rule;
    if (ours === expected && read === expected) return;
    differing += 1;
    if (differing === 1)
      process.stdout.write(`  request ${index + 1} differs: plain ${expected}, replay ${ours}, interpreter ${read}\n`);
  });
  process.stdout.write(
    `  of ${drawn.length.toLocaleString('en')} requests drawn at random, ${differing} differ from plain or the interpreter\n`,
  );
}
