import { deflateSync } from 'node:zlib';
import {
  CategoryFeedReader,
  checkFences,
  ChunkReplay,
  COMMON_COLUMNS,
  createCategories,
  createCountryTable,
  Program,
  Replay,
  type ChunkRows,
  type Judge,
  type LogRecord,
} from '@jadefence/core';
import { Random } from '@jadefence/demo';
import { median, printTimes, Stages, timeRounds } from '../measure.js';
import { checkFrozenLog, frozenPolicy, frozenRequests, frozenScenery, type PolicySize } from './frozen.js';
import { createMemoised } from './memoised.js';
import { createPlain } from './plain.js';
import type { BenchRule } from './policy.js';
import { createReferenceData } from './reference-data.js';
import { formatCombined, type BenchRequest } from './requests.js';
import { importCombined, readChunks, type StoredChunk } from './stored-log.js';

const ROUNDS = 5;
const REQUESTS = 1_000_000;
/** Of each size of policy, over how many of the first requests the loops are timed: they would take hours for all. */
const PLAIN_REQUESTS = { 200: 20_000, 1000: 5000, 5000: 2000 } as const;
const DRAWN = 20_000;

/** The world that the frozen policies ask. */
export function frozenWorld(): Pick<Judge, 'countries' | 'categories'> {
  const { countries, categories } = frozenScenery();
  const reader = new CategoryFeedReader();
  reader.push(new TextEncoder().encode(categories.map(([domain, category]) => `${domain},${category}\n`).join('')));
  return {
    categories: createCategories([reader.end('frozen').feed]),
    countries: createCountryTable(
      countries.map(({ first, last, country }) => ({
        family: 4 as const,
        first: BigInt(first),
        last: BigInt(last),
        country,
      })),
    ),
  };
}

export function frozenJudge(numRules: PolicySize, world: ReturnType<typeof frozenWorld>): Judge {
  const { rulebook, diagnostics } = checkFences([{ path: 'frozen.fence', text: frozenPolicy(numRules).fences }], []);
  if (!rulebook) throw new Error(`The frozen policy cannot judge: ${diagnostics[0]?.message}`);
  return { rulebook, ...world };
}

/** Replays beside two loops over the same requests. */
export async function benchReplay(): Promise<void> {
  checkFrozenLog();
  const requests: BenchRequest[] = [];
  const lines: string[] = [];
  for (const request of frozenRequests()) {
    requests.push(request);
    lines.push(formatCombined(request));
    if (requests.length === REQUESTS) break;
  }
  const stored = importCombined(Buffer.from(lines.join('')));
  const world = frozenWorld();
  process.stdout.write(
    `replay: ${REQUESTS.toLocaleString('en')} requests of the frozen log, ${ROUNDS} interleaved rounds, one thread, nothing kept from round to round\n`,
  );
  const seconds: Partial<Record<PolicySize, number>> = {};
  for (const size of [200, 5000] as const)
    seconds[size] = await comparePolicy(size, frozenJudge(size, world), requests, stored);
  process.stdout.write(
    `  5,000 rules take ${(seconds[5000]! / seconds[200]!).toFixed(2)} times as long as 200 (goal: 2)\n`,
  );
}

async function comparePolicy(
  size: PolicySize,
  judge: Judge,
  requests: readonly BenchRequest[],
  stored: readonly StoredChunk[],
): Promise<number> {
  const { rules } = frozenPolicy(size);
  const data = createReferenceData(frozenScenery());
  const startedMs = performance.now();
  const wanted = new Set([...new Program(judge).attributes, ...COMMON_COLUMNS]);
  process.stdout.write(
    ` ${size.toLocaleString('en')} rules, compiled in ${(performance.now() - startedMs).toFixed(0)} ms\n`,
  );
  const numPlain = PLAIN_REQUESTS[size];
  const numMemoised = size === 200 ? requests.length : numPlain;
  const inMemory = [...readChunks(stored, wanted)];
  const stages = new Stages();
  const times = await timeRounds(ROUNDS, {
    'plain': () => {
      const plain = createPlain(rules, data);
      for (let index = 0; index < numPlain; index += 1) plain(requests[index]!);
    },
    'memoised': () => {
      const memoised = createMemoised(rules, data);
      for (let index = 0; index < numMemoised; index += 1) memoised(requests[index]!);
    },
    'stored': () => replayStored(judge, stored, stages),
    'in memory': () => replayChunks(judge, inMemory),
  });
  printTimes({ plain: times['plain']! }, numPlain, 'requests');
  printTimes({ memoised: times['memoised']! }, numMemoised, 'requests');
  printTimes({ 'stored': times['stored']!, 'in memory': times['in memory']! }, requests.length, 'requests');
  const rate = (name: string, count: number): number => count / median(times[name]!);
  for (const name of ['stored', 'in memory']) {
    const ours = rate(name, requests.length);
    process.stdout.write(
      `  ${name}: ${(ours / rate('plain', numPlain)).toFixed(0)} times plain, ${(ours / rate('memoised', numMemoised)).toFixed(1)} times memoised\n`,
    );
  }
  stages.print('a replay from the store');
  if (size === 200) printWholeAgreement(judge, rules, requests, inMemory);
  printAgreement(size, judge, rules, requests);
  return median(times['stored']!);
}

function replayChunks(judge: Judge, chunks: Iterable<ChunkRows>, stages = new Stages()): void {
  const replay = new ChunkReplay(stages.time('compiling', () => new Program(judge)));
  const reading = chunks[Symbol.iterator]();
  for (;;) {
    const next = stages.time('reading columns', () => reading.next());
    if (next.done) return;
    const { codes } = stages.time('judging', () => replay.judge([next.value]));
    stages.time('packing decisions', () => deflateSync(new Uint8Array(codes.buffer), { level: 1 }));
  }
}

/** Reads stored chunks, only the columns that the rules look at, judges them and packs the decisions. */
export function replayStored(judge: Judge, stored: readonly StoredChunk[], stages?: Stages): void {
  const wanted = new Set([...new Program(judge).attributes, ...COMMON_COLUMNS]);
  replayChunks(judge, readChunks(stored, wanted), stages);
}

/** Whether the same rule decides each request of the log, by a hash of lines and rules whose order does not matter. */
function printWholeAgreement(
  judge: Judge,
  rules: readonly BenchRule[],
  requests: readonly BenchRequest[],
  chunks: readonly ChunkRows[],
): void {
  const replay = new ChunkReplay(new Program(judge));
  const codes = chunks.map((rows) => replay.judge([rows]).codes);
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
        differing ??= `line ${line} is decided by ${rules[ruleOf[code]!]?.name}, memoised says ${rules[expected]?.name}`;
    }
  process.stdout.write(
    `  hash of lines and deciding rules, all ${line.toLocaleString('en')}: ${ours.toString(16)}, memoised ${theirs.toString(16)}${differing ? `; ${differing}` : ''}\n`,
  );
}

/** Spreads two numbers over 32 bits (the finisher of MurmurHash3). */
function mix(line: number, rule: number): number {
  let mixed = Math.imul(line, 0x9e3779b1) ^ Math.imul(rule + 1, 0x85ebca6b);
  mixed = Math.imul(mixed ^ (mixed >>> 16), 0x85ebca6b);
  mixed = Math.imul(mixed ^ (mixed >>> 13), 0xc2b2ae35);
  return (mixed ^ (mixed >>> 16)) >>> 0;
}

/** Whether the same rule decides each of some requests, drawn at random and asked in their order. */
function printAgreement(
  size: PolicySize,
  judge: Judge,
  rules: readonly BenchRule[],
  requests: readonly BenchRequest[],
): void {
  const random = new Random(size);
  const drawn = requests.filter(() => random.chance(DRAWN / requests.length));
  const [chunk] = readChunks(
    importCombined(Buffer.from(drawn.map(formatCombined).join(''))),
    new Set([...new Program(judge).attributes, ...COMMON_COLUMNS]),
  );
  const replay = new ChunkReplay(new Program(judge));
  const { codes } = replay.judge([chunk!]);
  const plain = createPlain(rules, createReferenceData(frozenScenery()));
  const interpreter = new Replay(judge);
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
