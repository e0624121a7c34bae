/** Filters for a person who may not see masked values: those fields are compared as they are shown. */
import type { Filter } from '../check/check-filter.js';
import type { ChunkRows } from '../columns/chunk.js';
import type { Ruling } from '../decide/decision.js';
import { evaluateComparison, type Subject } from '../decide/evaluate.js';
import type { EvaluationContext } from '../decide/interpreter.js';
import { View } from '../decide/view.js';
import type { Comparison, Condition } from '../language/tree.js';
import { visitComparisons } from '../language/visit.js';
import type { Masker } from '../masking/masker.js';
import { formatAddress } from '../request/address.js';
import { and, negate, or, type Truth } from '../request/field.js';
import type { LogRecord } from '../request/record.js';
import { normalizeRequest } from '../request/request.js';
import { filterChunk } from './filter-decisions.js';

/** Whether a filter compares a field that is masked, or one that has its values. */
export function comparesMasked({ condition }: Filter, masker: Masker): boolean {
  let found = false;
  visitComparisons(condition, ({ field, parameter }) => (found ||= masker.hides(field, parameter)));
  return found;
}

/** The rows of a chunk for which the filter is true, ascending; so that no masked value can be found by trying. */
export function filterMasked(
  filter: Filter,
  context: EvaluationContext,
  masker: Masker,
  rows: ChunkRows,
  codes: Uint32Array,
  rulings: readonly Ruling[],
): Uint32Array {
  return filterChunk(filter, context, rows, codes, rulings, (condition, subject, terms, record) => {
    let masked: Subject | undefined;
    return evaluateParts(condition, (comparison) => {
      const isHidden = masker.hides(comparison.field, comparison.parameter);
      const seen = isHidden ? (masked ??= maskedSubject(context, masker, record, subject)) : subject;
      return evaluateComparison(comparison, seen, terms);
    });
  });
}

function maskedSubject(context: EvaluationContext, masker: Masker, record: LogRecord, subject: Subject): Subject {
  const { view } = subject;
  // The client that an address header names is masked wherever it is.
  const named = view.client ? { 'jade.client': formatAddress(view.client) } : {};
  const attributes = masker.attributes({ ...record.attributes, ...named });
  const peer = masker.addressSeen('peer', view.request.peer);
  const request = { ...normalizeRequest({ ...record, attributes }), peer };
  const resolved = { ...view.resolved, client: masker.addressSeen('client', view.client) };
  return { ...subject, view: new View(context, view.gate, request, resolved, view.isHidden) };
}

function evaluateParts(condition: Condition, compare: (comparison: Comparison) => Truth): Truth {
  switch (condition.kind) {
    case 'always':
      return 'true';
    case 'not':
      return negate(evaluateParts(condition.part, compare));
    case 'and':
      return condition.parts.reduce<Truth>((truth, part) => and(truth, evaluateParts(part, compare)), 'true');
    case 'or':
      return condition.parts.reduce<Truth>((truth, part) => or(truth, evaluateParts(part, compare)), 'false');
    case 'comparison':
      return compare(condition);
  }
}
