/** Selecting the rows whose decisions a filter matches. */
import { checkFilter } from '@jadefence/core/check';
import type { Ruling } from '@jadefence/core/decide';
import type { Mask } from '@jadefence/core/masking';
import { comparesMasked, DecisionFilter, filterChunk, filterMasked, isRowByRow } from '@jadefence/core/replay';
import { KeyedMasker } from '@jadefence/files';
import { openChunks, type ChunkPayload } from '../open-chunks.js';
import type { EvaluationInput } from '../prepare-context.js';
import { clearOnError, contextFor, preparedFor, type Prepared } from './prepared.js';

/** A filter over the decisions of a replay. */
export interface FilterTask extends EvaluationInput {
  readonly replayId: number;
  readonly where: string;
  /** All of the replay. */
  readonly rulings: readonly Ruling[];
  /** Of a caller who may not see some values. */
  readonly masking?: { readonly masks: readonly Mask[]; readonly key: string };
}

/** Chunks of it, with the codes of each. */
export interface FilterChunksTask extends FilterTask, ChunkPayload {
  readonly codes: readonly Uint32Array[];
}

function filterFor({ replayId, where, rulings, masking, ...source }: FilterTask): NonNullable<Prepared['filter']> {
  const prepared = preparedFor(source);
  const key = JSON.stringify([replayId, where, masking?.masks]);
  if (prepared.filter?.key !== key) {
    const { filter } = checkFilter(where, prepared.context.rulebook);
    if (!filter) throw new Error(`Internal error: a checked filter cannot be compiled: ${where}`);
    const masker = masking && new KeyedMasker(masking.masks, masking.key);
    const isMasked = masker !== undefined && comparesMasked(filter, masker);
    prepared.filter = {
      key,
      filter,
      ...(isMasked ? { masker } : {}),
      ...(isMasked || isRowByRow(filter) ? {} : { inColumns: new DecisionFilter(filter, prepared.context, rulings) }),
    };
  }
  return prepared.filter;
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
  const { filter, inColumns, masker } = filterFor(task);
  return openChunks(task).map((rows, index) => {
    if (inColumns) return inColumns.select(rows, codes[index]!);
    const context = contextFor(task);
    return masker
      ? filterMasked(filter, context, masker, rows, codes[index]!, task.rulings)
      : filterChunk(filter, context, rows, codes[index]!, task.rulings);
  });
});
