/** Judging rows, and counting what describes those that were judged. */
import { CounterStore } from '@jadefence/core/match';
import type { Ruling } from '@jadefence/core/decide';
import {
  ChunkReplay,
  judgeSpan,
  RulingTable,
  type RowSequence,
  type Tally,
  type TimeSpan,
} from '@jadefence/core/replay';
import type { MessagePort } from 'node:worker_threads';
import { openChunks, openWithCachedDictionaries, type ChunkPayload } from '../open-chunks.js';
import { packMemory, unpackState } from '../pack-state.js';
import type { EvaluationInput } from '../prepare-context.js';
import { breakdownFor, clearOnError, keptReplays, programFor } from './prepared.js';

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
    /** As `JudgedRows` has them. */
    readonly waitsMs: readonly number[];
  }[];
  readonly rulings: readonly Ruling[];
  /** All of them by what describes them. */
  readonly by: Tally['by'];
  /** What these requests leave behind, as bytes; absent where nothing remembers. */
  readonly state?: Uint8Array;
}

/** The attributes that a replay has to read. */
export const attributesRead = clearOnError(function attributesRead(source: EvaluationInput): string[] {
  return [...new Set([...programFor(source).attributes, ...breakdownFor(source).attributes])];
});

/** @returns undefined where it is not known any more */
function takeCached(
  source: EvaluationInput,
  past: CarriedState | undefined,
  maxLimitKeys: number,
): ChunkReplay | undefined {
  const known = past && keptReplays.get(past.name);
  if (past) keptReplays.delete(past.name);
  if (known || past?.isCached) return known;
  const memory = new CounterStore(past?.bytes && unpackState(past.bytes), maxLimitKeys);
  return new ChunkReplay(programFor(source), memory, new RulingTable(), breakdownFor(source));
}

function cacheReplay(replay: ChunkReplay, { nextName }: CarriedState): Uint8Array {
  keptReplays.set(nextName, replay);
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
