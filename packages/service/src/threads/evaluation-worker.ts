/** Runs in a worker thread: judges, filters, counts and explains rows of a stored log. */
import { checkFilter, collectRuleLookups, readCondition, type Filter } from '@jadefence/core/check';
import type { ChunkRows } from '@jadefence/core/columns';
import { State, type EvaluationContext, type Ruling, type StoredState } from '@jadefence/core/decide';
import { explainRequest, type Explanation } from '@jadefence/core/explain';
import { CounterStore, Program } from '@jadefence/core/match';
import {
  resolveCondition,
  isRowByRow,
  Breakdown,
  ChunkReplay,
  CountryCounter,
  countMatches,
  DecisionFilter,
  MatchCounter,
  filterChunk,
  RulingTable,
  type Matches,
  judgeSpan,
  type RowSequence,
  type TimeSpan,
  type Tally,
} from '@jadefence/core/replay';
import { normalizeRequest, type LogRecord } from '@jadefence/core/request';
import type { MessagePort } from 'node:worker_threads';
import { packMemory, unpackState } from './pack-state.js';
import { type ChunkPayload, clearDictionaries, openChunks, openWithCachedDictionaries } from './open-chunks.js';
import { prepareContext, type EvaluationInput } from './prepare-context.js';

/** Rows that are judged one after the other. */
export interface JudgePart {
  /** Their chunks, as places in those of the task. */
  readonly chunks: readonly number[];
  /** The order of the rows, where it is not that of the one chunk. */
  readonly sequence?: RowSequence;
}

export interface JudgeTask extends EvaluationInput, ChunkPayload {
  /** In the order in which they are judged. */
  readonly parts: readonly JudgePart[];
  readonly span: TimeSpan;
  /** What earlier requests left behind, where the rules remember. */
  readonly past?: CarriedState;
  readonly maxLimitKeys: number;
  /** Receives the number of rows done, now and then. */
  readonly progress: MessagePort;
}

/** What requests left behind, as bytes; a thread that made it knows it by its name. */
export interface CarriedState {
  /** Absent before the first request, and where the thread should know it. */
  readonly bytes?: Uint8Array;
  /** Whether this is the thread that produced it. */
  readonly isCached: boolean;
  readonly name: string;
  /** The name of what these requests leave behind. */
  readonly nextName: string;
}

export interface JudgeAnswer {
  /** By part. */
  readonly parts: readonly {
    /** One code a row, an index into `rulings`; `NOT_JUDGED` for rows outside the span. */
    readonly codes: Uint32Array;
    readonly tally: Tally;
  }[];
  readonly rulings: readonly Ruling[];
  /** All of them by what describes them. */
  readonly by: Tally['by'];
  /** What these requests leave behind, as bytes; absent where nothing remembers. */
  readonly state?: Uint8Array;
}

/** A filter over the decisions of a replay. */
export interface FilterTask extends EvaluationInput {
  readonly replayId: number;
  readonly where: string;
  /** All of the replay. */
  readonly rulings: readonly Ruling[];
}

/** Chunks of it, with the codes of each. */
export interface FilterChunksTask extends FilterTask, ChunkPayload {
  readonly codes: readonly Uint32Array[];
}

interface Prepared {
  readonly context: EvaluationContext;
  program?: Program;
  breakdown?: Breakdown;
  countries?: CountryCounter;
  /** Of the condition that was counted last. */
  matches?: { readonly key: string; readonly counter: MatchCounter };
  /** The filter used last. */
  filter?: { readonly key: string; readonly filter: Filter; readonly inColumns?: DecisionFilter };
}

/** By judge key; two, since a comparison goes back and forth between two. */
/**
 * A task that leaves nothing behind where it fails: what was in use then may be half-way, so that it is made again for the
 * next caller.
 */
function clearOnError<T extends Pick<EvaluationInput, 'contextKey'>, R>(task: (given: T) => R): (given: T) => R {
  return (given) => {
    try {
      return task(given);
    } catch (error) {
      prepared.delete(given.contextKey);
      pasts.clear();
      clearDictionaries();
      throw error;
    }
  };
}

const prepared = new Map<string, Prepared>();
const MAX_PREPARED = 2;

function preparedFor(source: EvaluationInput): Prepared {
  const known = prepared.get(source.contextKey);
  prepared.delete(source.contextKey);
  if (!known && prepared.size >= MAX_PREPARED) prepared.delete(prepared.keys().next().value!);
  const one = known ?? { context: prepareContext(source) };
  prepared.set(source.contextKey, one);
  return one;
}

function judgeFor(source: EvaluationInput): EvaluationContext {
  return preparedFor(source).context;
}

/** The attributes that a replay has to read. */
export const attributesRead = clearOnError(function attributesRead(source: EvaluationInput): string[] {
  return [...new Set([...programFor(source).attributes, ...breakdownFor(source).attributes])];
});

/** The rules compiled, once for all chunks that are judged by them. */
function programFor(source: EvaluationInput): Program {
  const one = preparedFor(source);
  return (one.program ??= new Program(one.context));
}

function breakdownFor(source: EvaluationInput): Breakdown {
  const one = preparedFor(source);
  return (one.breakdown ??= new Breakdown(one.context));
}

/** Replays as their latest requests left them, so that what these left behind need not be read again. */
const pasts = new Map<string, ChunkReplay>();
const MAX_PASTS = 4;

/** @returns undefined where it is not known any more */
function takeCached(
  source: EvaluationInput,
  past: CarriedState | undefined,
  maxLimitKeys: number,
): ChunkReplay | undefined {
  const known = past && pasts.get(past.name);
  if (past) pasts.delete(past.name);
  if (known || past?.isCached) return known;
  const memory = new CounterStore(past?.bytes && unpackState(past.bytes), maxLimitKeys);
  return new ChunkReplay(programFor(source), memory, new RulingTable(), breakdownFor(source));
}

function cacheReplay(replay: ChunkReplay, { nextName }: CarriedState): Uint8Array {
  if (pasts.size >= MAX_PASTS) pasts.delete(pasts.keys().next().value!);
  pasts.set(nextName, replay);
  return packMemory(replay.memory);
}

/** @returns undefined where the thread lacks what it was to keep; nothing is judged then, and all is needed */
export const judgeChunks = clearOnError(function judgeChunks({
  parts,
  span,
  past,
  maxLimitKeys,
  progress,
  ...source
}: JudgeTask): JudgeAnswer | undefined {
  const rows = openWithCachedDictionaries(source);
  const replay = takeCached(source, past, maxLimitKeys);
  if (!rows || !replay) return undefined;
  const lastPart = new Map(parts.flatMap((part, index) => part.chunks.map((chunk) => [chunk, index])));
  let numDone = 0;
  const judged = parts.map(({ chunks, sequence }, index) => {
    const answer = judgeSpan(
      replay,
      chunks.map((chunk) => rows.at(chunk)),
      sequence,
      span,
      (numRows) => progress.postMessage(numDone + numRows),
    );
    numDone += answer.codes.length;
    for (const chunk of chunks) if (lastPart.get(chunk) === index) rows.close(chunk);
    return answer;
  });
  progress.close();
  const by = replay.breakdown?.take() ?? {};
  return { parts: judged, rulings: replay.table.rulings, by, ...(past ? { state: cacheReplay(replay, past) } : {}) };
});

/** Rows of one chunk that were judged, to be counted by what describes them. */
export interface DescribeTask extends EvaluationInput, ChunkPayload {
  /** Ascending. */
  readonly rows: Uint32Array;
  /** The ruling of each of them. */
  readonly codes: Uint32Array;
  readonly rulings: readonly Ruling[];
}

export const describeRows: (task: DescribeTask) => Tally['by'] = clearOnError(function describeRows({
  rows,
  codes,
  rulings,
  ...source
}: DescribeTask): Tally['by'] {
  const breakdown = breakdownFor(source);
  const chunks = openChunks(source);
  const times = chunks[0]!.timesUnixMs();
  const sequence = { chunkOf: new Uint32Array(rows.length), rowOf: rows };
  const atUnixMs = Float64Array.from(rows, (row) => times[row]!);
  breakdown.count(chunks, codes, rulings, atUnixMs, sequence);
  return breakdown.take();
});

/** One row to explain, where the rules remember with the rows that were judged before it since a state was kept. */
export interface ExplainTask extends EvaluationInput, ChunkPayload {
  /** The last holds the row; those before it were judged before. */
  readonly parts: readonly JudgePart[];
  readonly span: TimeSpan;
  /** What requests before the first part left behind, as bytes. */
  readonly state?: Uint8Array;
  /** The position of the row in the last part. */
  readonly index: number;
  readonly maxLimitKeys: number;
}

export const explainRow = clearOnError(function explainRow({
  parts,
  span,
  state,
  index,
  maxLimitKeys,
  ...source
}: ExplainTask): Explanation {
  const context = judgeFor(source);
  const rows = openChunks(source);
  const rowsOf = ({ chunks }: JudgePart): ChunkRows[] => chunks.map((chunk) => rows[chunk]!);
  const last = parts.at(-1)!;
  const lastRows = rowsOf(last);
  const { sequence } = last;
  const memory = new CounterStore(state && unpackState(state), maxLimitKeys);
  if (context.rulebook.isStateful) {
    const replay = new ChunkReplay(programFor(source), memory);
    for (const part of parts.slice(0, -1)) judgeSpan(replay, rowsOf(part), part.sequence, span);
    const before = {
      chunkOf: sequence ? sequence.chunkOf.subarray(0, index) : new Uint32Array(index),
      rowOf: sequence ? sequence.rowOf.subarray(0, index) : Uint32Array.from({ length: index }, (_, row) => row),
    };
    if (index > 0) judgeSpan(replay, lastRows, before, span);
  }
  const chunk = sequence ? lastRows[sequence.chunkOf[index]!]! : lastRows[0]!;
  const record = chunk.row(sequence ? sequence.rowOf[index]! : index) as LogRecord;
  return explainRequest(context, normalizeRequest(record), new State(memory.store()));
});

/** A condition to be counted over some rows. */
export interface CountTask extends EvaluationInput, ChunkPayload {
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

export const countRows = clearOnError(function countRows({ rule, gates, state, ...task }: CountTask): {
  matches: Matches;
  state: StoredState;
} {
  const context = judgeFor(task);
  const condition = readCondition(rule);
  const requested = resolveCondition(context.rulebook, condition, collectRuleLookups(condition, context.rulebook));
  const after = new State(state);
  const matches = countMatches(context, requested, recordsOf(task), gates && new Set(gates), after);
  return { matches, state: after.store() };
});

function* recordsOf({ sequence, rowStart = 0, rowEnd, ...source }: Omit<CountTask, 'rule'>): Generator<LogRecord> {
  const rows = openChunks(source);
  const end = rowEnd ?? sequence?.rowOf.length ?? rows[0]!.numRows;
  for (let at = rowStart; at < end; at += 1)
    yield (sequence ? rows[sequence.chunkOf[at]!]!.row(sequence.rowOf[at]!) : rows[0]!.row(at)) as LogRecord;
}

/** A condition that tests no tag, to be counted over whole chunks. */
export interface MatchTask extends EvaluationInput {
  /** A rule as fence text. */
  readonly rule: string;
  readonly gates?: readonly string[];
}

function matchCounterFor({ rule, gates, ...source }: MatchTask): MatchCounter {
  const one = preparedFor(source);
  const key = JSON.stringify([rule, gates]);
  if (one.matches?.key !== key) {
    const condition = readCondition(rule);
    const { rulebook } = one.context;
    const requested = resolveCondition(rulebook, condition, collectRuleLookups(condition, rulebook));
    one.matches = { key, counter: new MatchCounter(one.context, requested, gates && new Set(gates)) };
  }
  return one.matches.counter;
}

export const matchAttributes = clearOnError(function matchAttributes(task: MatchTask): string[] {
  return matchCounterFor(task).attributes;
});

/** @returns the result of each chunk */
export const matchChunks = clearOnError(function matchChunks(task: MatchTask & ChunkPayload): Matches[] {
  const counter = matchCounterFor(task);
  return openChunks(task).map((rows) => counter.count(rows));
});

function countryCounterFor(source: EvaluationInput): CountryCounter {
  const one = preparedFor(source);
  return (one.countries ??= new CountryCounter(one.context));
}

export const countryAttributes = clearOnError(function countryAttributes(source: EvaluationInput): string[] {
  return countryCounterFor(source).attributes;
});

/** Requests of each chunk by the country of the client. */
export const countChunkCountries = clearOnError(function countChunkCountries(
  source: EvaluationInput & ChunkPayload,
): Map<string, number>[] {
  const counter = countryCounterFor(source);
  return openChunks(source).map((rows) => counter.count(rows));
});

function filterFor({ replayId, where, rulings, ...source }: FilterTask): NonNullable<Prepared['filter']> {
  const one = preparedFor(source);
  const key = JSON.stringify([replayId, where]);
  if (one.filter?.key !== key) {
    const { filter } = checkFilter(where, one.context.rulebook);
    if (!filter) throw new Error(`Internal error: a checked filter cannot be compiled: ${where}`);
    one.filter = {
      key,
      filter,
      ...(isRowByRow(filter) ? {} : { inColumns: new DecisionFilter(filter, one.context, rulings) }),
    };
  }
  return one.filter;
}

/** The attributes that it reads; undefined for all. */
export const filterAttributes = clearOnError(function filterAttributes(task: FilterTask): string[] | undefined {
  return filterFor(task).inColumns?.attributes;
});

/** @returns of each chunk the rows that match, ascending */
export const filterDecisions = clearOnError(function filterDecisions({
  codes,
  ...task
}: FilterChunksTask): Uint32Array[] {
  const { filter, inColumns } = filterFor(task);
  return openChunks(task).map((rows, index) =>
    inColumns
      ? inColumns.select(rows, codes[index]!)
      : filterChunk(filter, judgeFor(task), rows, codes[index]!, task.rulings),
  );
});
