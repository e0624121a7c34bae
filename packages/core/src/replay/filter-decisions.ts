import type { Filter } from '../check/check-filter.js';
import { NOT_JUDGED } from './replay-chunk.js';
import type { ChunkRows } from '../columns/chunk.js';
import { ruleId, type Ruling } from '../decide/decision.js';
import { evaluate, type Subject, type Terms } from '../decide/evaluate.js';
import { viewDecided } from '../decide/gate.js';
import type { EvaluationContext } from '../decide/interpreter.js';
import type { Condition } from '../language/tree.js';
import type { Field, Truth } from '../request/field.js';
import type { Attributes, LogRecord } from '../request/record.js';
import { normalizeRequest } from '../request/request.js';

/** What a filter sees of one decided request. */
export function subjectOf(context: EvaluationContext, record: LogRecord, ruling: Ruling): Subject {
  const view = viewDecided(context, normalizeRequest(record), ruling.gate);
  return {
    view,
    tag: noneIfEmpty(ruling.tags),
    decided: {
      'line': record.line,
      'time': record.atUnixMs,
      'outcome': ruling.outcome,
      'gate': ruling.gate ?? null,
      'direction': ruling.gate === undefined ? null : view.gate.statement.direction,
      'fence': ruling.fence ?? null,
      'rule': ruling.fence !== undefined && ruling.rule !== undefined ? ruleId(ruling.fence, ruling.rule) : null,
      'would': noneIfEmpty(ruling.would.map(({ outcome }) => outcome)),
      'throttled': noneIfEmpty((ruling.throttled ?? []).map(({ fence, rule }) => ruleId(fence, rule))),
      'status': ruling.status ?? null,
      'recorded status': recordedStatusOf(record.attributes),
    },
  };
}

export function recordedStatusOf(attributes: Attributes): Field<number> {
  const recorded = attributes['http.response.status_code'];
  return typeof recorded === 'number' || recorded === null ? recorded : undefined;
}

function noneIfEmpty(values: readonly string[]): readonly string[] | null {
  return values.length > 0 ? values : null;
}

/** Whether a filter is true of one decided request. */
export type EvaluateFilter = (condition: Condition, subject: Subject, terms: Terms, record: LogRecord) => Truth;

/**
 * The rows of a chunk for which the filter is true, ascending.
 * @param evaluateFilter where its comparisons do not see the true values
 */
export function filterChunk(
  filter: Filter,
  context: EvaluationContext,
  rows: ChunkRows,
  codes: Uint32Array,
  rulings: readonly Ruling[],
  evaluateFilter: EvaluateFilter = evaluate,
): Uint32Array {
  const matching: number[] = [];
  const terms = {
    lookups: new Map([...context.rulebook.lookups, ...filter.lookups]),
    applications: context.rulebook.applications,
  };
  for (let row = 0; row < rows.numRows; row += 1) {
    if (codes[row] === NOT_JUDGED) continue;
    const record = rows.row(row) as LogRecord;
    const subject = subjectOf(context, record, rulings[codes[row]!]!);
    if (evaluateFilter(filter.condition, subject, terms, record) === 'true') matching.push(row);
  }
  return Uint32Array.from(matching);
}
