/**
 * Of large reference data, values of each class: what lies within something that rules name, and one of each set of
 * categories outside of it. Gone through once for all gates.
 */
import type { EvaluationContext } from '../../decide/interpreter.js';
import type { Value } from '../../language/tree.js';
import type { Categories } from '../../reference/categories.js';
import { AddressSweep } from './address-sweep.js';
import { literalsOf } from './values.js';

export interface Samples {
  readonly addresses: AddressSweep;
  readonly hosts: readonly string[];
}

/** What all lists and conditions name: everything that a rule could compare. */
export function sampleReferenceData({ rulebook, countries, categories }: EvaluationContext): Samples {
  return {
    addresses: new AddressSweep(countries),
    hosts: categories ? sampleCategories(categories, hostLiteralsOf(rulebook)) : [],
  };
}

const OF_ADDRESSES: ReadonlySet<string> = new Set(['client', 'peer', 'server']);

function hostLiteralsOf({ lookups, lists, gates }: EvaluationContext['rulebook']): readonly Value[] {
  const comparisons = [...lookups.keys()].filter(({ field }) => !OF_ADDRESSES.has(field));
  return [
    ...literalsOf(
      comparisons.map((comparison) => ({ comparison })),
      lists,
    ).values,
    ...gates.flatMap(({ statement: { hosts } }) => hosts),
  ];
}

/** What was found in feeds, which take a second a million to go through, so that a review after an edit need not. */
interface FeedSamples {
  /** A host of each set of categories. */
  readonly hosts: readonly string[];
  /** By a name that rules name, the hosts of it and below. */
  readonly byName: Map<string, string[]>;
}

const samplesOf = new WeakMap<Categories, FeedSamples>();

function sampleCategories(categories: Categories, values: readonly Value[]): string[] {
  const names = new Set(
    values.flatMap((value) =>
      value.kind === 'domain'
        ? [value.entry.name]
        : value.kind === 'url'
          ? [value.host]
          : value.kind === 'text'
            ? [value.text]
            : [],
    ),
  );
  const before = samplesOf.get(categories);
  const missing = [...names].filter((name) => !before?.byName.has(name));
  const samples = before && missing.length === 0 ? before : goThrough(categories, missing, before);
  samplesOf.set(categories, samples);
  return [...new Set([...names].flatMap((name) => samples.byName.get(name)!).concat(samples.hosts))];
}

/** Adds the hosts of names to what was found before. */
function goThrough(categories: Categories, names: readonly string[], before?: FeedSamples): FeedSamples {
  const added = new Map<string, string[]>(names.map((name) => [name, []]));
  const noteNamed = (host: string): void => {
    for (let at = 0; ;) {
      added.get(host.slice(at))?.push(host);
      const dot = host.indexOf('.', at);
      if (dot < 0) return;
      at = dot + 1;
    }
  };
  const hosts: string[] = [];
  const seenRows = new Set<number>();
  const seenSets = new Set<string>();
  const known = new Set<number>();
  for (const { host, value } of categories.entries()) {
    if (added.size > 0) noteNamed(host);
    if (before) continue;
    // A host of several rows may have another set of categories.
    const hash = hashOf(host);
    const isRepeated = seenRows.has(hash);
    seenRows.add(hash);
    if (!isRepeated && known.has(value)) continue;
    known.add(value);
    const key = categories.find(host, null).categories.join(' ');
    if (!seenSets.has(key)) hosts.push(host);
    seenSets.add(key);
  }
  return { hosts: before?.hosts ?? hosts, byName: new Map([...(before?.byName ?? []), ...added]) };
}

function hashOf(text: string): number {
  let hash = 0x811c9dc5;
  for (let at = 0; at < text.length; at += 1) hash = Math.imul(hash ^ text.charCodeAt(at), 0x01000193);
  return hash;
}
