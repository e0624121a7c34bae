/** Comparisons without their negation, and for each value of a feature those that hold. */
import type { Lookup } from '../../check/lookups.js';
import { kindOf } from '../../language/fields.js';
import type { Comparison, Value } from '../../language/tree.js';
import { invariant } from '../../request/invariant.js';
import { readPath, type PathReading } from '../../request/path.js';
import { isProtocol, type Protocol } from '../../request/protocols.js';
import type { Members } from '../../check/members.js';
import { AddressIndex } from './address-index.js';
import type { AtomSet } from './atom-set.js';
import { DomainIndex } from './domain-index.js';
import { collectEntries } from './list-entries.js';
import type { FeatureValue, Flow, UrlTarget } from '../features/features.js';
import { TextIndex } from './text-index.js';
import { FALSE, TRUE, UNKNOWN, type TruthValue } from '../features/truth.js';

/** The atoms of one feature. */
export class AtomIndex {
  readonly #all: number[] = [];
  readonly #present: number[] = [];
  readonly #texts: TextIndex;
  readonly #domains = new DomainIndex();
  readonly #addresses = new AddressIndex();
  /** Countries and categories; a set with exceptions is looked up as well. */
  readonly #words = new Map<string, { readonly atom: number; readonly members?: Members }[]>();
  /** Evaluated one by one for every distinct value. */
  readonly #tests: { readonly atom: number; readonly test: (value: FeatureValue) => TruthValue }[] = [];

  constructor(private readonly reading: PathReading) {
    this.#texts = new TextIndex(reading);
  }

  add(atom: number, comparison: Comparison, lookup: Lookup | undefined): void {
    this.#all.push(atom);
    const { field, operator, values } = comparison;
    const kind = kindOf(field);
    if (operator === 'present' && kind !== 'url') this.#present.push(atom);
    else if (kind === 'address') this.#addresses.add(atom, values, lookup);
    else if (kind === 'domain' && (operator === 'in' || operator === 'under'))
      this.#domains.add(atom, operator, values, lookup);
    else if (kind === 'domain' || kind === 'path' || kind === 'text' || kind === 'word')
      this.#texts.add(atom, comparison);
    else if (kind === 'country' || kind === 'category') this.#addWords(atom, values, lookup);
    else this.#tests.push({ atom, test: this.#createTest(comparison, lookup) });
  }

  #addWords(atom: number, values: readonly Value[], lookup: Lookup | undefined): void {
    const members = lookup?.kind === 'members' ? lookup : undefined;
    const collected = collectEntries(values, members?.lists ?? new Map(), Infinity);
    invariant(collected, 'a list of words is a dataset');
    for (const value of collected.entries) {
      const word = value.kind === 'country' ? value.code : wordOf(value);
      const entries = this.#words.get(word) ?? [];
      this.#words.set(word, entries);
      entries.push({ atom, ...(collected.isExact ? {} : { members: members!.members }) });
    }
  }

  /** Collects the atoms that are not false for a value. */
  collect(value: FeatureValue | null | undefined, atoms: AtomSet): void {
    if (value === null) return;
    if (value === undefined) {
      for (const atom of this.#all) atoms.addUnknown(atom);
      return;
    }
    for (const atom of this.#present) atoms.addTrue(atom);
    if (Array.isArray(value)) for (const text of value as readonly string[]) this.#collectOne(text, atoms);
    else this.#collectOne(value as Exclude<FeatureValue, readonly string[]>, atoms);
    for (const { atom, test } of this.#tests) {
      const truth = evaluateTest(test, value);
      if (truth === TRUE) atoms.addTrue(atom);
      else if (truth === UNKNOWN) atoms.addUnknown(atom);
    }
  }

  #collectOne(value: Exclude<FeatureValue, readonly string[]>, atoms: AtomSet): void {
    if (typeof value === 'string') {
      this.#texts.collect(value, atoms);
      this.#domains.collect(value, atoms);
      for (const { atom, members } of this.#words.get(value) ?? [])
        if (!members || members.find(value)) atoms.addTrue(atom);
    } else if (typeof value === 'object' && 'family' in value) this.#addresses.collect(value, atoms);
  }

  #createTest(
    { field, operator, values }: Comparison,
    lookup: Lookup | undefined,
  ): (value: FeatureValue) => TruthValue {
    const kind = kindOf(field);
    const toDegree = (holds: boolean): TruthValue => (holds ? TRUE : FALSE);
    if (kind === 'number' || kind === 'bytes') {
      const ranges = values.map((value) => rangeOf(operator, value));
      return (number) =>
        toDegree(ranges.some(([first, last]) => first <= (number as number) && (number as number) <= last));
    }
    if (kind === 'payload') {
      const wanted = values.map(payloadTest);
      return (flow) => toDegree(wanted.some((test) => test(flow as Flow)));
    }
    if (kind === 'url') return urlTest(operator, lookup, this.reading);
    throw new Error(`Internal error: ${field} cannot be compared.`);
  }
}

function evaluateTest(test: (value: FeatureValue) => TruthValue, value: FeatureValue): TruthValue {
  if (!Array.isArray(value)) return test(value);
  return (value as readonly string[]).some((text) => test(text) === TRUE) ? TRUE : FALSE;
}

function rangeOf(operator: Comparison['operator'], value: Value): readonly [first: number, last: number] {
  invariant(value.kind === 'number', `a number is compared with a ${value.kind}`);
  switch (operator) {
    case '<':
      return [-Infinity, value.first - 1];
    case '<=':
      return [-Infinity, value.first];
    case '>':
      return [value.first + 1, Infinity];
    case '>=':
      return [value.first, Infinity];
    default:
      return [value.first, value.last];
  }
}

function payloadTest(value: Value): (flow: Flow) => boolean {
  if (value.kind === 'bytes') {
    const bytes = Array.from({ length: value.hex.length / 2 }, (_, at) =>
      parseInt(value.hex.slice(at * 2, at * 2 + 2), 16),
    );
    return ({ payload }) => bytes.every((byte, at) => payload[at] === byte);
  }
  const protocol = wordOf(value) as Protocol;
  return ({ payload, transport }) => isProtocol(protocol, payload, transport);
}

function urlTest(
  operator: Comparison['operator'],
  lookup: Lookup | undefined,
  reading: PathReading,
): (value: FeatureValue) => TruthValue {
  if (operator === 'present')
    return (value) => {
      const { host, path } = value as UrlTarget;
      return Math.min(presence(host), presence(path)) as TruthValue;
    };
  invariant(lookup?.kind === 'urls', 'a urls comparison was not prepared');
  const { urls } = lookup;
  return (value) => {
    const truth = urls.evaluate({ ...(value as UrlTarget), readPath: (text) => readPath(text, reading) });
    return truth === 'true' ? TRUE : truth === 'unknown' ? UNKNOWN : FALSE;
  };
}

function presence(value: string | null | undefined): TruthValue {
  return value === undefined ? UNKNOWN : value === null ? FALSE : TRUE;
}

export function wordOf(value: Value): string {
  invariant(value.kind === 'word' || value.kind === 'text', `a word is compared with a ${value.kind}`);
  return value.kind === 'word' ? value.name : value.text;
}
