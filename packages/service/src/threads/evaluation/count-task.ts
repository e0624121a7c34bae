/** Counting the requests that a condition matches, and those of each country. */
import { collectRuleLookups, readRule } from '@jadefence/core/check';
import { State, type StoredState } from '@jadefence/core/decide';
import {
  CountryCounter,
  GatePreviewCounter,
  type GateCounts,
  countMatches,
  MatchCounter,
  resolveRule,
  SectionCounter,
  type Matches,
  type RowSequence,
  type SiteSections,
} from '@jadefence/core/replay';
import type { LogRecord } from '@jadefence/core/request';
import { openChunks, type ChunkPayload } from '../open-chunks.js';
import type { EvaluationInput } from '../prepare-context.js';
import { clearOnError, contextFor, preparedFor } from './prepared.js';

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
  const context = contextFor(task);
  const matching = readRule(rule);
  const requested = resolveRule(context.rulebook, matching, collectRuleLookups(matching, context.rulebook));
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
  const prepared = preparedFor(source);
  const key = JSON.stringify([rule, gates]);
  if (prepared.matches?.key !== key) {
    const matching = readRule(rule);
    const { rulebook } = prepared.context;
    const requested = resolveRule(rulebook, matching, collectRuleLookups(matching, rulebook));
    prepared.matches = { key, counter: new MatchCounter(prepared.context, requested, gates && new Set(gates)) };
  }
  return prepared.matches.counter;
}

export const matchAttributes = clearOnError(function matchAttributes(task: MatchTask): string[] {
  return matchCounterFor(task).attributes;
});

/** @returns the result of each chunk */
export const matchChunks = clearOnError(function matchChunks(task: MatchTask & ChunkPayload): Matches[] {
  const counter = matchCounterFor(task);
  return openChunks(task).map((rows) => counter.count(rows));
});

/** A gate of the rules, by name. */
export type GatePreviewTask = EvaluationInput & { readonly gate: string };

function gateCounterFor({ gate, ...source }: GatePreviewTask): GatePreviewCounter {
  const prepared = preparedFor(source);
  if (prepared.gatePreview?.gate !== gate)
    prepared.gatePreview = { gate, counter: new GatePreviewCounter(prepared.context, gate) };
  return prepared.gatePreview.counter;
}

export const gatePreviewAttributes = clearOnError(function gatePreviewAttributes(task: GatePreviewTask): string[] {
  return gateCounterFor(task).attributes;
});

/** What the gate sees of each chunk. */
export const previewGate = clearOnError(function previewGate(task: GatePreviewTask & ChunkPayload): GateCounts[] {
  const counter = gateCounterFor(task);
  return openChunks(task).map((rows) => counter.count(rows));
});

/** The hosts of each chunk, and the sections of a site. */
export function countSections({ site, ...task }: ChunkPayload & { readonly site?: string }): SiteSections[] {
  return openChunks(task).map((rows) => {
    const counter = new SectionCounter(site);
    counter.add(rows);
    return counter.result();
  });
}

function countryCounterFor(source: EvaluationInput): CountryCounter {
  const prepared = preparedFor(source);
  return (prepared.countries ??= new CountryCounter(prepared.context));
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
