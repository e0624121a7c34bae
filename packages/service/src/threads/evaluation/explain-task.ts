/** Explaining one row. */
import type { ChunkRows } from '@jadefence/core/columns';
import { State } from '@jadefence/core/decide';
import { explainRequest, type Explanation } from '@jadefence/core/explain';
import { CounterStore } from '@jadefence/core/match';
import { ChunkReplay, judgeSpan, type TimeSpan } from '@jadefence/core/replay';
import { normalizeRequest, type LogRecord } from '@jadefence/core/request';
import { openChunks, type ChunkPayload } from '../open-chunks.js';
import { unpackState } from '../pack-state.js';
import type { EvaluationInput } from '../prepare-context.js';
import type { JudgePart } from './judge-task.js';
import { clearOnError, contextFor, programFor } from './prepared.js';

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
  const context = contextFor(source);
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
