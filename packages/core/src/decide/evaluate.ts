import type { Rulebook } from '../check/rulebook.js';
import type { Comparison, Condition, FieldName, Value } from '../language/tree.js';
import type { Address } from '../request/address.js';
import { negate, type Field, type Truth } from '../request/field.js';
import { isUnderDomain } from '../request/host.js';
import { invariant } from '../request/invariant.js';
import { isUnderPath } from '../request/path.js';

/** What a condition can see of a request at one rule. */
export interface Subject {
  readonly client: Field<Address>;
  readonly country: Field<string>;
  readonly host: Field<string>;
  readonly path: Field<string>;
  readonly method: Field<string>;
  /** None where no tag is set. */
  readonly tag: readonly string[] | null;
}

/** Kleene's strong three-valued logic over the comparisons of a condition. */
export function evaluate(condition: Condition, subject: Subject, rulebook: Rulebook): Truth {
  switch (condition.kind) {
    case 'always':
      return 'true';
    case 'comparison':
      return evaluateComparison(condition, subject, rulebook);
    case 'not':
      return negate(evaluate(condition.part, subject, rulebook));
    case 'and': {
      let result: Truth = 'true';
      for (const part of condition.parts) {
        const truth = evaluate(part, subject, rulebook);
        if (truth === 'false') return 'false';
        if (truth === 'unknown') result = 'unknown';
      }
      return result;
    }
    case 'or': {
      let result: Truth = 'false';
      for (const part of condition.parts) {
        const truth = evaluate(part, subject, rulebook);
        if (truth === 'true') return 'true';
        if (truth === 'unknown') result = 'unknown';
      }
      return result;
    }
  }
}

/** On unknown a comparison is unknown; on none it is false, and its negation (`!=`, `not in`) therefore true. */
export function evaluateComparison(comparison: Comparison, subject: Subject, rulebook: Rulebook): Truth {
  const actual = subject[comparison.field];
  if (actual === undefined) return 'unknown';
  const holds = actual !== null && isSatisfied(comparison, actual, rulebook);
  return holds !== comparison.isNegated ? 'true' : 'false';
}

type Known = NonNullable<Subject[FieldName]>;

function isSatisfied(comparison: Comparison, actual: Known, rulebook: Rulebook): boolean {
  if (Array.isArray(actual)) return actual.some((one: string) => isSatisfied(comparison, one, rulebook));
  const known = actual as Address | string;
  const members = rulebook.membersOf.get(comparison);
  if (members) return members.find(known) !== undefined;
  return comparison.values.some((value) => satisfiesValue(comparison, known, value));
}

function satisfiesValue({ field, operator }: Comparison, actual: Address | string, value: Value): boolean {
  if (typeof actual !== 'string') {
    invariant(value.kind === 'addresses', `${field} is compared with a ${value.kind}`);
    return value.range.family === actual.family && value.range.first === actual.value;
  }
  const literal = literalText(value);
  if (operator !== 'under') return actual === literal;
  return field === 'path' ? isUnderPath(actual, literal) : isUnderDomain(actual, literal);
}

function literalText(value: Value): string {
  switch (value.kind) {
    case 'country':
      return value.code;
    case 'domain':
      return value.entry.name;
    case 'text':
      return value.text;
    case 'addresses':
    case 'list':
      throw new Error(`Internal error: a ${value.kind} value reached a comparison of text.`);
  }
}
