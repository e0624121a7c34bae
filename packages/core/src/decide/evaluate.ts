import type { MembersOf } from '../check/members.js';
import type { Comparison, Condition, FieldName, FilterFieldName, Value } from '../language/tree.js';
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

/** What a filter can see of a request that was decided. */
export interface DecidedSubject extends Subject {
  readonly 'outcome': string;
  readonly 'gate': Field<string>;
  readonly 'fence': Field<string>;
  readonly 'rule': Field<string>;
  readonly 'would': readonly string[] | null;
  readonly 'status': Field<number>;
  readonly 'recorded status': Field<number>;
  readonly 'line': number;
}
type AnySubject = Subject & Partial<DecidedSubject>;

/** Kleene's strong three-valued logic over the comparisons of a condition. */
export function evaluate(condition: Condition, subject: AnySubject, membersOf: MembersOf): Truth {
  switch (condition.kind) {
    case 'always':
      return 'true';
    case 'comparison':
      return evaluateComparison(condition, subject, membersOf);
    case 'not':
      return negate(evaluate(condition.part, subject, membersOf));
    case 'and': {
      let result: Truth = 'true';
      for (const part of condition.parts) {
        const truth = evaluate(part, subject, membersOf);
        if (truth === 'false') return 'false';
        if (truth === 'unknown') result = 'unknown';
      }
      return result;
    }
    case 'or': {
      let result: Truth = 'false';
      for (const part of condition.parts) {
        const truth = evaluate(part, subject, membersOf);
        if (truth === 'true') return 'true';
        if (truth === 'unknown') result = 'unknown';
      }
      return result;
    }
  }
}

/** On unknown a comparison is unknown; on none it is false, and its negation (`!=`, `not in`) therefore true. */
export function evaluateComparison(comparison: Comparison, subject: AnySubject, membersOf: MembersOf): Truth {
  const actual = subject[comparison.field];
  if (actual === undefined) return 'unknown';
  const holds = actual !== null && isSatisfied(comparison, actual, membersOf);
  return holds !== comparison.isNegated ? 'true' : 'false';
}

type Known = NonNullable<DecidedSubject[FieldName | FilterFieldName]>;

function isSatisfied(comparison: Comparison, actual: Known, membersOf: MembersOf): boolean {
  if (comparison.operator === 'present') return true;
  if (typeof actual === 'number') return comparison.values.some((value) => satisfiesNumber(comparison, actual, value));
  if (Array.isArray(actual)) return actual.some((one: string) => isSatisfied(comparison, one, membersOf));
  const known = actual as Address | string;
  const members = membersOf.get(comparison);
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

function satisfiesNumber({ field, operator }: Comparison, actual: number, value: Value): boolean {
  invariant(value.kind === 'number', `${field} is compared with a ${value.kind}`);
  switch (operator) {
    case '<':
      return actual < value.first;
    case '<=':
      return actual <= value.first;
    case '>':
      return actual > value.first;
    case '>=':
      return actual >= value.first;
    case '=':
    case 'in':
      return value.first <= actual && actual <= value.last;
    case 'under':
    case 'present':
      throw new Error(`Internal error: a number was asked ${operator}.`);
  }
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
    case 'number':
    case 'list':
      throw new Error(`Internal error: a ${value.kind} value reached a comparison of text.`);
  }
}
