import type { Lookup, Lookups } from '../check/lookups.js';
import { kindOf, type FieldName } from '../language/fields.js';
import type { ApplicationStatement, Comparison, Condition, Value } from '../language/tree.js';
import type { Address } from '../request/address.js';
import { and, negate, or, type Field, type Truth } from '../request/field.js';
import { isUnderDomain } from '../request/host.js';
import { invariant } from '../request/invariant.js';
import { isUnderPath, readPath, type PathReading } from '../request/path.js';
import { isProtocol, type Protocol } from '../request/protocols.js';
import type { Seen, View } from './view.js';

/** What a condition can see of a request at one rule. */
export interface Subject {
  readonly view: View;
  /** None where no tag is set. */
  readonly tag: readonly string[] | null;
  /** What a filter sees of the decision. */
  readonly decided?: DecidedFields;
}

export interface DecidedFields {
  readonly 'outcome': string;
  readonly 'gate': Field<string>;
  readonly 'direction': Field<string>;
  readonly 'fence': Field<string>;
  readonly 'rule': Field<string>;
  readonly 'would': readonly string[] | null;
  /** The rules that delay it. */
  readonly 'throttled': readonly string[] | null;
  readonly 'status': Field<number>;
  readonly 'recorded status': Field<number>;
  readonly 'line': number;
  /** Milliseconds since the epoch. */
  readonly 'time': number;
}

/** What conditions are answered with besides the request. */
export interface Terms {
  readonly lookups: Lookups;
  readonly applications: readonly ApplicationStatement[];
}

/** Kleene's strong three-valued logic over the comparisons of a condition. */
export function evaluate(condition: Condition, subject: Subject, terms: Terms): Truth {
  switch (condition.kind) {
    case 'always':
      return 'true';
    case 'comparison':
      return evaluateComparison(condition, subject, terms);
    case 'not':
      return negate(evaluate(condition.part, subject, terms));
    case 'and': {
      let result: Truth = 'true';
      for (const part of condition.parts) {
        result = and(result, evaluate(part, subject, terms));
        if (result === 'false') return result;
      }
      return result;
    }
    case 'or': {
      let result: Truth = 'false';
      for (const part of condition.parts) {
        result = or(result, evaluate(part, subject, terms));
        if (result === 'true') return result;
      }
      return result;
    }
  }
}

/** The truth of one comparison, its negation (`!=`, `not in`, `absent`) included. */
export function evaluateComparison(comparison: Comparison, subject: Subject, terms: Terms): Truth {
  const truth = evaluateTest(comparison, subject, terms);
  return comparison.isNegated ? negate(truth) : truth;
}

function evaluateTest(comparison: Comparison, subject: Subject, terms: Terms): Truth {
  if (comparison.field === 'url') return evaluateUrl(comparison, subject.view, terms.lookups);
  if (comparison.field === 'application') return evaluateApplication(comparison, subject, terms);
  const actual = fieldOf(comparison, subject);
  if (actual === undefined) return 'unknown';
  // On none every comparison is false.
  const holds = actual !== null && isSatisfied(comparison, actual, subject.view, terms.lookups.get(comparison));
  return holds ? 'true' : 'false';
}

/** The value that a comparison looks at. */
export function fieldOf({ field, parameter }: Comparison, { view, tag, decided }: Subject): Field<Seen> {
  if (field === 'tag') return tag;
  if (decided && Object.hasOwn(decided, field)) return decided[field as keyof DecidedFields];
  return view.get(field as FieldName, parameter);
}

function evaluateUrl(comparison: Comparison, view: View, lookups: Lookups): Truth {
  const { host, path } = view;
  if (comparison.operator === 'present') return and(presenceOf(host), presenceOf(path));
  const lookup = lookups.get(comparison);
  invariant(lookup?.kind === 'urls', 'a urls comparison was not prepared');
  return lookup.urls.evaluate({ host, path, readPath: (text) => readPath(text, view.gate.pathReading) });
}

function presenceOf(value: Field<unknown>): Truth {
  return value === undefined ? 'unknown' : value === null ? 'false' : 'true';
}

/** Values that are recognised, and those that could still turn out to be there. */
export interface Recognised {
  readonly certain: readonly string[];
  readonly undecided: readonly string[];
}

const UNRECOGNISED = 'unrecognised';

/** The applications whose signatures hold, with what carries them. */
export function recogniseApplications(subject: Subject, terms: Terms): Recognised {
  const truths = new Map<string, Truth>();
  const note = (name: string, truth: Truth): void => {
    truths.set(name, or(truths.get(name) ?? 'false', truth));
  };
  for (const application of terms.applications) {
    const truth = application.signatures.reduce<Truth>(
      (sum, signature) => or(sum, evaluate(signature, subject, terms)),
      'false',
    );
    let next: ApplicationStatement | undefined = application;
    for (; next; next = carrierOf(next, terms)) note(next.name, truth);
  }
  const named = (wanted: Truth): string[] => [...truths].flatMap(([name, truth]) => (truth === wanted ? [name] : []));
  const [certain, undecided] = [named('true'), named('unknown')];
  if (certain.length > 0) return { certain, undecided };
  return undecided.length > 0
    ? { certain, undecided: [...undecided, UNRECOGNISED] }
    : { certain: [UNRECOGNISED], undecided };
}

function carrierOf({ over }: ApplicationStatement, { applications }: Terms): ApplicationStatement | undefined {
  return over && applications.find((application) => application.name === over.name);
}

/** True if a recognised value satisfies it, else unknown if an undecided one would, else false. */
function evaluateApplication(comparison: Comparison, subject: Subject, terms: Terms): Truth {
  if (comparison.operator === 'present') return 'true';
  const { certain, undecided } = recogniseApplications(subject, terms);
  const lookup = terms.lookups.get(comparison);
  const isOneOf = (names: readonly string[]): boolean =>
    names.some((name) => isSatisfied(comparison, name, subject.view, lookup));
  return isOneOf(certain) ? 'true' : isOneOf(undecided) ? 'unknown' : 'false';
}

function isSatisfied(comparison: Comparison, actual: Seen, view: View, lookup: Lookup | undefined): boolean {
  if (comparison.operator === 'present') return true;
  if (typeof actual === 'number')
    return comparison.values.some((value) => satisfiesNumber(comparison, actual, value, lookup));
  if (actual instanceof Uint8Array) return satisfiesPayload(comparison, actual, view);
  if (Array.isArray(actual)) return actual.some((text: string) => isSatisfied(comparison, text, view, lookup));
  const known = actual as Address | string;
  if (lookup?.kind === 'members') return lookup.members.find(known) !== undefined;
  if (lookup?.kind === 'tests')
    return lookup.testsFor(readingFor(comparison, view)).some((test) => test(known as string));
  return comparison.values.some((value) => satisfiesValue(comparison, known, value, view));
}

const READS_NOTHING: PathReading = {};

function readingFor({ field }: Comparison, view: View): PathReading {
  return kindOf(field) === 'path' ? view.gate.pathReading : READS_NOTHING;
}

function satisfiesValue({ field, operator }: Comparison, actual: Address | string, value: Value, view: View): boolean {
  if (typeof actual !== 'string') {
    invariant(value.kind === 'addresses', `${field} is compared with a ${value.kind}`);
    return value.range.family === actual.family && value.range.first === actual.value;
  }
  const literal = literalText(value);
  if (operator !== 'under') return actual === literal;
  return field === 'path'
    ? isUnderPath(actual, readPath(literal, view.gate.pathReading))
    : isUnderDomain(actual, literal);
}

function satisfiesPayload({ operator, values }: Comparison, payload: Uint8Array, view: View): boolean {
  const transport = view.get('transport') as Field<string>;
  return values.some((value) => {
    if (operator === 'is') return isProtocol(literalText(value) as Protocol, payload, transport);
    invariant(value.kind === 'bytes', `payload is compared with a ${value.kind}`);
    const wanted = value.hex.match(/../g)!.map((digits) => Number.parseInt(digits, 16));
    return wanted.every((byte, index) => payload[index] === byte);
  });
}

function satisfiesNumber(
  { field, operator }: Comparison,
  actual: number,
  value: Value,
  lookup: Lookup | undefined,
): boolean {
  if (value.kind === 'hours') {
    invariant(lookup?.kind === 'hours', 'hours were not prepared');
    return lookup.contains(value, actual);
  }
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
    default:
      throw new Error(`Internal error: operator ${operator} is not defined for numbers.`);
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
    case 'word':
      return value.name;
    default:
      throw new Error(`Internal error: a ${value.kind} value reached a comparison of text.`);
  }
}
