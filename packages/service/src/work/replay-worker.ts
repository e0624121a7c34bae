/** Runs in a worker thread: judges, filters, counts and explains rows of a stored log. */
import {
  askCondition,
  Breakdown,
  ChunkReplay,
  checkFences,
  checkFilter,
  collectRuleLookups,
  createTally,
  countCountries,
  countMatches,
  Dataset,
  decide,
  explainRequest,
  filterChunk,
  normalizeRequest,
  readCondition,
  Memory,
  Program,
  RulingTable,
  State,
  type DatasetKind,
  type Explanation,
  type Judge,
  type LogRecord,
  type Matches,
  type People,
  isInSpan,
  judgeSpan,
  type RowSequence,
  type Span,
  type Ruling,
  type SourceFile,
  type StoredState,
  type Tally,
} from '@jadefence/core';
import type { MessagePort } from 'node:worker_threads';
import { openChunks, type ChunksSource } from './open-chunks.js';
import { openWorld, type SharedWorld, type World } from './shared-world.js';

/** The entries of a list, in their stored form. */
export interface SharedDataset {
  readonly name: string;
  readonly kind: DatasetKind;
  readonly sha256: string;
  readonly buffer: SharedArrayBuffer;
}

/** What decisions rest on, in a form that can be sent to a thread. */
export interface JudgeSource {
  /** Tells configurations apart, so that a worker prepares each once. */
  readonly judgeKey: string;
  readonly fenceFile: SourceFile;
  readonly namedFiles: readonly SourceFile[];
  readonly datasets: readonly SharedDataset[];
  readonly world: SharedWorld;
  readonly gate?: string;
  readonly people?: People;
}

export interface JudgeTask extends JudgeSource, ChunksSource {
  /** The order of the rows, where it is not that of the one chunk. */
  readonly sequence?: RowSequence;
  /** What earlier requests left behind. */
  readonly state?: StoredState;
  readonly span: Span;
  readonly maxLimitKeys: number;
  /** Hears the number of rows done, now and then. */
  readonly progress: MessagePort;
}

export interface JudgeAnswer {
  /** One code a row, an index into `rulings`; `NOT_JUDGED` for rows outside the span. */
  readonly codes: Uint32Array;
  readonly rulings: readonly Ruling[];
  readonly tally: Tally;
  /** What these requests leave behind; absent where nothing remembers. */
  readonly state?: StoredState;
}

/** Of one chunk. */
export interface FilterTask extends JudgeSource, ChunksSource {
  readonly where: string;
  readonly codes: Uint32Array;
  readonly rulings: readonly Ruling[];
}

let prepared: { readonly key: string; readonly judge: Judge; program?: Program; breakdown?: Breakdown } | undefined;

function judgeFor(source: JudgeSource): Judge {
  if (prepared?.key !== source.judgeKey) prepared = { key: source.judgeKey, judge: prepareJudge(source) };
  return prepared.judge;
}

/** The attributes that a replay has to read. */
export function attributesRead(source: JudgeSource): string[] {
  return [...new Set([...programFor(source).attributes, ...breakdownFor(source).attributes])];
}

/** The rules compiled, once for all chunks that are judged by them. */
function programFor(source: JudgeSource): Program {
  const judge = judgeFor(source);
  return (prepared!.program ??= new Program(judge));
}

function breakdownFor(source: JudgeSource): Breakdown {
  const judge = judgeFor(source);
  return (prepared!.breakdown ??= new Breakdown(judge));
}

export function judgeChunk(task: JudgeTask): JudgeAnswer {
  const { isStateful } = judgeFor(task).rulebook;
  const replay = new ChunkReplay(
    programFor(task),
    new Memory(task.state, task.maxLimitKeys),
    new RulingTable(),
    breakdownFor(task),
  );
  const rows = openChunks(task);
  const { codes, tally } = judgeSpan(replay, rows, task.sequence, task.span, (numRowsDone) =>
    task.progress.postMessage(numRowsDone),
  );
  task.progress.close();
  const state = isStateful ? { state: replay.memory.store() } : {};
  return { codes, rulings: replay.table.rulings, tally, ...state };
}

/** Rows of one chunk that were judged, to be counted by what describes them. */
export interface DescribeTask extends JudgeSource, ChunksSource {
  /** Ascending. */
  readonly rows: Uint32Array;
  /** The ruling of each of them. */
  readonly codes: Uint32Array;
  readonly rulings: readonly Ruling[];
}

export function describeRows({ rows, codes, rulings, ...source }: DescribeTask): Tally['by'] {
  const tally = createTally();
  const chunks = openChunks(source);
  const times = chunks[0]!.timesUnixMs();
  const sequence = { chunkOf: new Uint32Array(rows.length), rowOf: rows };
  const atUnixMs = Float64Array.from(rows, (row) => times[row]!);
  breakdownFor(source).addTo(tally, chunks, codes, rulings, atUnixMs, sequence);
  return tally.by;
}

/** One row to explain, with the rows of its segment before it where the rules remember. */
export interface ExplainTask extends JudgeSource, ChunksSource {
  readonly sequence?: RowSequence;
  readonly span: Span;
  readonly state?: StoredState;
  /** Where the row stands in the sequence, or in its chunk. */
  readonly index: number;
}

export function explainRow({ sequence, span, state, index, ...source }: ExplainTask): Explanation {
  const judge = judgeFor(source);
  const rows = openChunks(source);
  const recordAt = (at: number): LogRecord =>
    (sequence ? rows[sequence.chunkOf[at]!]!.row(sequence.rowOf[at]!) : rows[0]!.row(at)) as LogRecord;
  const before = new State(state);
  if (judge.rulebook.isStateful)
    for (let at = 0; at < index; at += 1)
      if (isInSpan(span, recordAt(at).atUnixMs)) decide(judge, normalizeRequest(recordAt(at)), before);
  return explainRequest(judge, normalizeRequest(recordAt(index)), before);
}

/** A condition to be counted over some rows. */
export interface CountTask extends JudgeSource, ChunksSource {
  /** The order of the rows, where it is not that of the one chunk. */
  readonly sequence?: RowSequence;
  /** Of the one chunk, the rows that are counted. */
  readonly rowStart?: number;
  readonly rowEnd?: number;
  /** What earlier requests left behind. */
  readonly state?: StoredState;
  /** A rule as fence text. */
  readonly rule: string;
  readonly gates?: readonly string[];
}

export function countRows({ rule, gates, state, ...task }: CountTask): { matches: Matches; state: StoredState } {
  const judge = judgeFor(task);
  const condition = readCondition(rule);
  const asked = askCondition(judge.rulebook, condition, collectRuleLookups(condition, judge.rulebook));
  const after = new State(state);
  const matches = countMatches(judge, asked, recordsOf(task), gates && new Set(gates), after);
  return { matches, state: after.store() };
}

function* recordsOf({ sequence, rowStart = 0, rowEnd, ...source }: Omit<CountTask, 'rule'>): Generator<LogRecord> {
  const rows = openChunks(source);
  const end = rowEnd ?? sequence?.rowOf.length ?? rows[0]!.numRows;
  for (let at = rowStart; at < end; at += 1)
    yield (sequence ? rows[sequence.chunkOf[at]!]!.row(sequence.rowOf[at]!) : rows[0]!.row(at)) as LogRecord;
}

/** Requests by the country of the client. */
export function countChunkCountries(source: JudgeSource & ChunksSource): Map<string, number> {
  return countCountries(judgeFor(source), openChunks(source)[0]!);
}

/** @returns the rows that match, ascending */
export function filterDecisions({ where, codes, rulings, ...task }: FilterTask): Uint32Array {
  const judge = judgeFor(task);
  const { filter } = checkFilter(where, judge.rulebook.lists);
  if (!filter) throw new Error(`Internal error: a filter that was checked cannot be asked: ${where}`);
  return filterChunk(filter, judge, openChunks(task)[0]!, codes, rulings);
}

/**
 * Everything a decision rests on, from what can be sent. Categories are not checked here: what was published stays usable
 * when a feed loses one.
 * @param opened what is opened already, in the thread that keeps it
 * @throws Error when the fences cannot judge, which a snapshot's always can
 */
export function prepareJudge(
  { fenceFile, namedFiles, datasets, world, gate, people }: Omit<JudgeSource, 'judgeKey'>,
  opened?: { readonly world: World; readonly datasets?: readonly Dataset[] },
): Judge {
  const all =
    opened?.datasets ?? datasets.map(({ name, kind, buffer, sha256 }) => new Dataset(name, kind, buffer, sha256));
  const { rulebook, diagnostics } = checkFences([fenceFile], namedFiles, {
    datasets: new Map(all.map((dataset) => [dataset.name, dataset])),
  });
  if (!rulebook) throw new Error(`Internal error: a pinned snapshot cannot judge: ${diagnostics[0]?.message}`);
  return { rulebook, gate, people, ...(opened?.world ?? openWorld(world)) };
}
