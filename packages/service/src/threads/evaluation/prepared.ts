/** What a thread keeps from task to task: rules as they are compiled, and what replays left behind. */
import type { Masker } from '@jadefence/core/masking';
import type { Filter } from '@jadefence/core/check';
import type { EvaluationContext } from '@jadefence/core/decide';
import { Program } from '@jadefence/core/match';
import {
  Breakdown,
  type ChunkReplay,
  type CountryCounter,
  type DecisionFilter,
  type GatePreviewCounter,
  type MatchCounter,
} from '@jadefence/core/replay';
import { LRUCache } from 'lru-cache';
import { clearDictionaries } from '../open-chunks.js';
import { prepareContext, type EvaluationInput } from '../prepare-context.js';

export interface Prepared {
  readonly context: EvaluationContext;
  program?: Program;
  breakdown?: Breakdown;
  countries?: CountryCounter;
  gatePreview?: { readonly gate: string; readonly counter: GatePreviewCounter };
  /** Of the condition that was counted last. */
  matches?: { readonly key: string; readonly counter: MatchCounter };
  /** The filter used last. */
  filter?: {
    readonly key: string;
    readonly filter: Filter;
    readonly inColumns?: DecisionFilter;
    /** Of a caller who may not see the values that the filter compares. */
    readonly masker?: Masker;
  };
}

/** By the key of the context; two, since a comparison goes back and forth between two. */
const MAX_PREPARED = 2;
const prepared = new LRUCache<string, Prepared>({ max: MAX_PREPARED });

/** Replays as their latest requests left them, by name, so that what these left behind need not be read again. */
const MAX_KEPT_REPLAYS = 4;
export const keptReplays = new LRUCache<string, ChunkReplay>({ max: MAX_KEPT_REPLAYS });

/**
 * A task that leaves nothing behind where it fails: what was in use then may be half-way, so that it is made again for the
 * next caller.
 */
export function clearOnError<T extends Pick<EvaluationInput, 'contextKey'>, R>(task: (given: T) => R): (given: T) => R {
  return (given) => {
    try {
      return task(given);
    } catch (error) {
      prepared.delete(given.contextKey);
      keptReplays.clear();
      clearDictionaries();
      throw error;
    }
  };
}

export function preparedFor(source: EvaluationInput): Prepared {
  const known = prepared.get(source.contextKey);
  if (known) return known;
  const made: Prepared = { context: prepareContext(source) };
  prepared.set(source.contextKey, made);
  return made;
}

export function contextFor(source: EvaluationInput): EvaluationContext {
  return preparedFor(source).context;
}

/** The rules compiled, once for all chunks that are judged by them. */
export function programFor(source: EvaluationInput): Program {
  const prepared = preparedFor(source);
  return (prepared.program ??= new Program(prepared.context));
}

export function breakdownFor(source: EvaluationInput): Breakdown {
  const prepared = preparedFor(source);
  return (prepared.breakdown ??= new Breakdown(prepared.context));
}
