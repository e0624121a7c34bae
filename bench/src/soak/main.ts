/**
 * `npm run soak`: large logs with skewed and fresh values in every format, through an engine that keeps its caches. Its
 * decisions must equal those of the interpreter on some of the requests and those that the command line prints, and its
 * results must equal those of a new process byte for byte.
 */
import { fork, spawn } from 'node:child_process';
import { createReadStream, createWriteStream, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { pipeline } from 'node:stream/promises';
import { parseArgs } from 'node:util';
import { decide, State, type Ruling } from '@jadefence/core/decide';
import { normalizeRequest, type LogRecord } from '@jadefence/core/request';
import { Random } from '@jadefence/demo';
import type * as Files from '@jadefence/files';
import { frozenScenery } from '../replay/pinned-workload.js';
import { makePolicy, printPolicy } from '../replay/policy.js';
import { formatReal, generateRealLines, headOf, REAL_FORMATS, type RealFormat } from '../replay/real-requests.js';
import { frozenWorld } from '../replay/replay-engine.js';
import { LogGatherer, SoakEngine, type Decided, type Digest, type ImportedLog, type SoakTask } from './engine.js';

const BUILT_FILES = new URL('../../../packages/files/dist/index.js', import.meta.url).href;
const COMMAND = new URL('../../../packages/cli/dist/jadefence.mjs', import.meta.url).pathname;
/** How many requests the interpreter judges, about. */
const SAMPLED = 20_000;
const RULE_COUNTS = [1, 20, 200, 2000];
const PIECE_CHARACTERS = 1_000_000;

const { values } = parseArgs({
  options: {
    minutes: { type: 'string', default: '60' },
    lines: { type: 'string' },
    rules: { type: 'string' },
    seed: { type: 'string' },
  },
});
const endsAtMs = Date.now() + Number(values.minutes) * 60_000;
const firstSeed = Number(values.seed ?? Date.now() % 1_000_000);
const folder = mkdtempSync(join(tmpdir(), 'jadefence-soak-'));
const referenceData = frozenWorld();
let numRounds = 0;
try {
  for (let seed = firstSeed; numRounds === 0 || Date.now() < endsAtMs; seed += 1) {
    await runRound(seed);
    numRounds += 1;
  }
  process.stdout.write(`${numRounds} rounds, nothing differs\n`);
} finally {
  rmSync(folder, { recursive: true, force: true });
}

async function runRound(seed: number): Promise<void> {
  const random = new Random(seed);
  const format = REAL_FORMATS[seed % REAL_FORMATS.length]!;
  const numLines = Number(values.lines ?? 1_000_000 * (1 + random.below(5)));
  const numRules = Number(values.rules ?? random.pick(RULE_COUNTS));
  const startedMs = Date.now();
  const logMessage = (what: string): void =>
    void process.stdout.write(`  ${((Date.now() - startedMs) / 1000).toFixed(0).padStart(4)} s  ${what}\n`);
  process.stdout.write(`round ${seed}: ${numLines.toLocaleString('en')} lines, ${format}, ${numRules} rules\n`);
  const scenery = frozenScenery();
  const logPath = join(folder, `log.${format}`);
  await writeLog(logPath, format, seed, numLines);
  const task: SoakTask = {
    logPath,
    format,
    before: printPolicy(makePolicy(scenery, seed, numRules)),
    after: printPolicy(makePolicy(scenery, seed + 1, numRules)),
    filter: 'outcome = blocked and method = GET or path under /login and not outcome = allowed',
  };
  logMessage('the log is written');
  const engine = new SoakEngine(task, referenceData);
  const log = await importInThreads(logPath, format);
  logMessage(`imported: ${log.chunks.length} chunks, ${log.numRejected} lines rejected`);
  const first = engine.run(log);
  logMessage('replayed, compared and filtered');
  mustBeSame('the second time', first.digest, engine.run(log).digest);
  logMessage('again');
  mustBeSame('a fresh process', first.digest, await judgeFresh(task));
  logMessage('in a fresh process');
  const numSampled = compareWithInterpreter(engine, log, first.before, numLines, seed);
  logMessage(`the interpreter decides the same of ${numSampled.toLocaleString('en')} requests`);
  if (numRules <= 200) {
    await compareWithCommand(task, log);
    logMessage('the command line prints the same');
  }
  rmSync(logPath);
}

async function writeLog(path: string, format: RealFormat, seed: number, numLines: number): Promise<void> {
  const pieces = function* (): Generator<string> {
    let text = headOf(format);
    for (const line of generateRealLines(frozenScenery(), seed, numLines)) {
      text += formatReal(format, line);
      if (text.length < PIECE_CHARACTERS) continue;
      yield text;
      text = '';
    }
    yield text;
  };
  await pipeline(pieces, createWriteStream(path));
}

/** As the service does it. */
async function importInThreads(path: string, format: RealFormat): Promise<ImportedLog> {
  const { importInThreads: start } = (await import(BUILT_FILES)) as typeof Files;
  const gatherer = new LogGatherer();
  const pieces = createReadStream(path, { highWaterMark: 262_144 }) as AsyncIterable<Uint8Array>;
  for await (const { chunks, rejected } of start({ format, options: {}, keepsLines: true }, { pieces }, 2))
    gatherer.add(chunks, rejected);
  return gatherer.end();
}

function mustBeSame(where: string, expected: Digest, item: Digest): void {
  for (const step of Object.keys(expected) as (keyof Digest)[])
    if (expected[step] !== item[step])
      throw new Error(`${where}, "${step}" is not the same: ${item[step]}, not ${expected[step]}`);
}

function judgeFresh(task: SoakTask): Promise<Digest> {
  return new Promise((resolve, reject) => {
    const child = fork(new URL('./fresh.ts', import.meta.url), { execArgv: process.execArgv });
    child.once('message', (digest) => resolve(digest as Digest));
    child.once('exit', (code) => reject(new Error(`The fresh process ended with ${code}.`)));
    child.send(task);
  });
}

/**
 * All requests of some clients: counters of a client depend on no other. Some clients send many requests, so that they
 * are taken until there are enough requests.
 */
function compareWithInterpreter(
  { judge: context }: SoakEngine,
  { chunks }: ImportedLog,
  { codes, rulings }: Decided,
  numLines: number,
  seed: number,
): number {
  const share = Math.min(1, SAMPLED / numLines);
  const isSampled = (client: string): boolean => {
    let hash = seed;
    for (let at = 0; at < client.length; at += 1) hash = Math.imul(hash ^ client.charCodeAt(at), 0x01000193) >>> 0;
    return (hash >>> 8) / 2 ** 24 < share;
  };
  const state = new State();
  let count = 0;
  for (const [chunk, rows] of chunks.entries()) {
    for (let row = 0; row < rows.numRows; row += 1) {
      const record = rows.row(row) as LogRecord;
      if (!isSampled(String(record.attributes['client.address'] ?? ''))) continue;
      const { client: _client, country: _country, ...expected } = decide(context, normalizeRequest(record), state);
      const ruling = rulings[codes[chunk]![row]!]!;
      count += 1;
      if (JSON.stringify(sorted(expected)) !== JSON.stringify(sorted(ruling)))
        throw new Error(
          `Line ${record.line}: the interpreter decides ${JSON.stringify(expected)}, the engine ${JSON.stringify(ruling)}; the request is ${JSON.stringify(record)}`,
        );
    }
  }
  return count;
}

function sorted(ruling: Ruling): unknown {
  return Object.entries(ruling)
    .filter(([, value]) => value !== undefined)
    .sort(([a], [b]) => (a < b ? -1 : 1));
}

/** Line by line: the rule that decides, and what it does. */
async function compareWithCommand(task: SoakTask, log: ImportedLog): Promise<void> {
  const fences = join(folder, 'soak.fence');
  writeFileSync(fences, withoutWorld(task.before));
  const engine = new SoakEngine({ ...task, before: withoutWorld(task.before) }, {});
  const { before } = engine.run(log);
  const args = ['judge', task.logPath, '--fences', fences, '--format', task.format, '--output', 'ndjson'];
  const child = spawn(process.execPath, [COMMAND, ...args], { stdio: ['ignore', 'pipe', 'ignore'] });
  const lines = createInterface({ input: child.stdout });
  let chunk = 0;
  let row = 0;
  for await (const text of lines) {
    const printed = JSON.parse(text) as Record<string, unknown>;
    while (row >= log.chunks[chunk]!.numRows) {
      chunk += 1;
      row = 0;
    }
    const { outcome, rule } = before.rulings[before.codes[chunk]![row]!]!;
    if (printed['jade.outcome'] !== outcome || (printed['jade.rule'] ?? undefined) !== (rule ?? undefined))
      throw new Error(`The command prints ${text} of row ${row} of chunk ${chunk}; the engine: ${outcome} by ${rule}`);
    row += 1;
  }
  if (chunk !== log.chunks.length - 1 || row !== log.chunks[chunk]!.numRows)
    throw new Error(
      `The command printed fewer lines than there are requests: it ended at row ${row} of chunk ${chunk}.`,
    );
}

/** The command has no country table and no feed here, so that rules about them are left out. */
function withoutWorld(text: string): string {
  return text
    .split('\n')
    .filter((line) => !/^ {2}rule .*\b(country|category)\b/.test(line))
    .join('\n');
}
