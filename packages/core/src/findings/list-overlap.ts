import type { ResolvedList } from '../check/members.js';
import type { FenceStatement, Value } from '../language/tree.js';
import { printValue } from '../language/value.js';
import { Address, type Family } from '../request/address.js';
import { positionOf, type Position } from './classes/address-sweep.js';
import { valuesIn, type Lists, type Literals } from './classes/values.js';
import type { Analysis, Found } from './finding.js';
import { canStop, comparisonsOf, liveRules } from './rules.js';

/** Of longer lists no more entries are compared. */
const MAX_COMPARED = 20_000;
const SHOWN = 3;

/** Two lists of a fence, one of what is let through and one of what is stopped, that hold the same. */
export const listOverlap: Analysis = {
  level: 'note',
  find: ({ rulebook }) =>
    rulebook.fences.flatMap((fence) => {
      const rules = liveRules({ fences: [fence] });
      const listsBy = (isWanted: (item: (typeof rules)[number]) => boolean): ResolvedList[] => {
        const names = rules
          .filter(isWanted)
          .flatMap(({ rule }) => comparisonsOf(rule))
          .flatMap(({ values, isNegated }) =>
            isNegated ? [] : values.flatMap((value) => (value.kind === 'list' ? [value.name] : [])),
          );
        return [...new Set(names)].map((name) => rulebook.lists.get(name)!).filter(({ isBuiltIn }) => !isBuiltIn);
      };
      const passing = listsBy(({ rule }) => rule.action.kind === 'allow');
      const stopped = listsBy(({ rule }) => canStop(rule.action));
      const lists = [...new Set([...passing, ...stopped])];
      const sharedOf = sharing(lists, rulebook.lists);
      const names = namesIn(lists);
      return passing.flatMap((one) => {
        const others = stopped
          .filter(
            (other) =>
              other.kind === one.kind &&
              other !== one &&
              !names.get(one)!.has(other.name) &&
              !names.get(other)!.has(one.name),
          )
          .map((other) => ({ other, shared: sharedOf(one, other) }))
          .filter(({ shared }) => shared.length > 0);
        return others.length === 0 ? [] : [overlapOf(fence, one, others)];
      });
    }),
};

/** One finding for each list that is let through, however many others it meets. */
function overlapOf(
  { name, place }: Pick<FenceStatement, 'name' | 'place'>,
  one: ResolvedList,
  others: readonly { other: ResolvedList; shared: readonly string[] }[],
): Found {
  const [{ other, shared }] = others as [(typeof others)[number]];
  return {
    subject: `list ${one.name}`,
    place,
    message: `The lists ${one.name} and ${other.name} both hold ${some(shared)}; the fence ${name} lets one through and stops the other.`,
    hint: 'Take them out of one list, or write them behind "except", so that the order of the rules does not decide.',
    evidence: others.slice(1).map((item) => `${one.name} and ${item.other.name} both hold ${some(item.shared)}.`),
  };
}

function some(entries: readonly string[]): string {
  return `${entries.slice(0, SHOWN).join(', ')}${entries.length > SHOWN ? ` and ${entries.length - SHOWN} more` : ''}`;
}

/** By list, the names of those that it has as an entry, or takes out. */
function namesIn(lists: readonly ResolvedList[]): ReadonlyMap<ResolvedList, ReadonlySet<string>> {
  return new Map(
    lists.map((list) => [
      list,
      new Set(
        [...list.source.entries, ...list.source.exceptions].flatMap((value) =>
          value.kind === 'list' ? [value.name] : [],
        ),
      ),
    ]),
  );
}

interface Sample {
  readonly value: Address | string;
  readonly entry: Value;
}

/** The entries of a list that another holds, too. @param all what the lists may name */
function sharing(
  lists: readonly ResolvedList[],
  all: Lists,
): (one: ResolvedList, other: ResolvedList) => readonly string[] {
  const samplesOf = new Map(lists.map((list) => [list, list.source.entries.slice(0, MAX_COMPARED).flatMap(sampleOf)]));
  const contents = new Map(lists.map((list) => [list, valuesIn(list.source.entries, all)]));
  const begins = beginningsWithin(contents);
  const heldBy = new Map<ResolvedList, ReadonlyMap<ResolvedList, readonly string[]>>();
  const entriesOf = (one: ResolvedList, other: ResolvedList): readonly string[] => {
    let known = heldBy.get(one);
    if (!known) heldBy.set(one, (known = entriesHeldBy(one)));
    return known.get(other) ?? [];
  };
  const entriesHeldBy = (one: ResolvedList): ReadonlyMap<ResolvedList, readonly string[]> => {
    const found = new Map<ResolvedList, string[]>();
    const others = lists.filter((other) => other !== one && other.kind === one.kind);
    const unswept = one.kind === 'addresses' ? others.filter((other) => contents.get(other)!.hasDataset) : others;
    for (const { value, entry } of samplesOf.get(one)!) {
      const candidates = new Set([...unswept, ...(begins.get(entry) ?? [])]);
      if (candidates.size === 0 || !one.members.find(value)) continue;
      const text = textOf(entry);
      for (const other of candidates) {
        if (other === one || !other.members.find(value)) continue;
        const known = found.get(other);
        if (known) known.push(text);
        else found.set(other, [text]);
      }
    }
    return found;
  };
  return (one, other) => [...new Set([...entriesOf(one, other), ...entriesOf(other, one)])];
}

/**
 * By entry, the lists of which an entry holds its first address, exceptions not deducted: in one pass over all ranges in
 * their order, since to look up each in every list takes seconds where there are many.
 */
function beginningsWithin(
  contents: ReadonlyMap<ResolvedList, Literals>,
): ReadonlyMap<Value, ReadonlySet<ResolvedList>> {
  const ranges: { list: ResolvedList; entry: Value; family: Family; first: Position; last: Position }[] = [];
  for (const [list, { values }] of contents)
    for (const entry of values)
      if (entry.kind === 'addresses') {
        const { family, first, last } = entry.range;
        ranges.push({ list, entry, family, first: positionOf(family, first), last: positionOf(family, last) });
      }
  ranges.sort((a, b) => a.family - b.family || (a.first < b.first ? -1 : a.first > b.first ? 1 : 0));
  const found = new Map<Value, ReadonlySet<ResolvedList>>();
  let open: typeof ranges = [];
  for (let start = 0, end = 0; start < ranges.length; start = end) {
    const { family, first } = ranges[start]!;
    while (end < ranges.length && ranges[end]!.first === first && ranges[end]!.family === family) end += 1;
    const here = ranges.slice(start, end);
    open = open.filter((range) => range.family === family && range.last >= first).concat(here);
    const lists = open.length === 1 ? undefined : new Set(open.map(({ list }) => list));
    if (lists && lists.size > 1) for (const { entry } of here) found.set(entry, lists);
  }
  return found;
}

function sampleOf(entry: Value): Sample | [] {
  switch (entry.kind) {
    case 'addresses':
      return { value: Address.ofValue(entry.range.family, entry.range.first), entry };
    case 'country':
      return { value: entry.code, entry };
    case 'domain': {
      const { name, reach } = entry.entry;
      return { value: reach === 'below' ? `x.${name}` : name, entry };
    }
    case 'word':
      return { value: entry.name, entry };
    default:
      return [];
  }
}

function textOf(entry: Value): string {
  return entry.kind === 'domain' ? entry.entry.name : printValue(entry);
}
