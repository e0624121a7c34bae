/**
 * Which sets of addresses hold an address. All ends of all ranges cut the addresses into intervals within which nothing
 * changes; an interval is found by binary search and knows its sets.
 */
import type { Lookup } from '../../check/lookups.js';
import type { Members } from '../../check/members.js';
import type { Value } from '../../language/tree.js';
import type { Address, AddressRange, Family } from '../../request/address.js';
import { invariant } from '../../request/invariant.js';
import type { AtomSet } from './atom-set.js';
import { collectEntries } from './list-entries.js';

interface Intervals {
  /** Where each begins, ascending. */
  readonly firsts: readonly (number | bigint)[];
  readonly atoms: readonly (readonly number[])[];
}

export class AddressIndex {
  readonly #ranges: { readonly atom: number; readonly range: AddressRange }[] = [];
  /** Of sets with exceptions: looked up if the ranges match. */
  readonly #inexact = new Map<number, Members>();
  readonly #large: { readonly atom: number; readonly members: Members }[] = [];
  #intervals: Readonly<Record<Family, Intervals>> | undefined;

  add(atom: number, values: readonly Value[], lookup: Lookup | undefined): void {
    this.#intervals = undefined;
    const members = lookup?.kind === 'members' ? lookup : undefined;
    const collected = collectEntries(values, members?.lists ?? new Map());
    if (!collected) {
      invariant(members, 'a set of addresses was not prepared');
      this.#large.push({ atom, members: members.members });
      return;
    }
    if (!collected.isExact) this.#inexact.set(atom, members!.members);
    for (const value of collected.entries)
      if (value.kind === 'addresses') this.#ranges.push({ atom, range: value.range });
  }

  collect(address: Address, atoms: AtomSet): void {
    for (const { atom, members } of this.#large) if (members.find(address)) atoms.addTrue(atom);
    const intervals = (this.#intervals ??= { 4: this.#cut(4), 6: this.#cut(6) })[address.family];
    const value = address.key;
    const { firsts } = intervals;
    let low = 0;
    let high = firsts.length;
    while (low < high) {
      const middle = (low + high) >>> 1;
      if (firsts[middle]! <= value) low = middle + 1;
      else high = middle;
    }
    if (low === 0) return;
    for (const atom of intervals.atoms[low - 1]!) {
      const members = this.#inexact.get(atom);
      if (!members || members.find(address)) atoms.addTrue(atom);
    }
  }

  /** Walks over all ends in order, keeping count of what is open. */
  #cut(family: Family): Intervals {
    const keyOf = (value: bigint): number | bigint => (family === 4 ? Number(value) : value);
    const ends: { readonly at: number | bigint; readonly atom: number; readonly step: number }[] = [];
    for (const { atom, range } of this.#ranges)
      if (range.family === family)
        ends.push({ at: keyOf(range.first), atom, step: 1 }, { at: keyOf(range.last + 1n), atom, step: -1 });
    ends.sort((a, b) => (a.at < b.at ? -1 : a.at > b.at ? 1 : 0));
    const firsts: (number | bigint)[] = [];
    const atoms: (readonly number[])[] = [];
    const open = new Map<number, number>();
    for (let next = 0; next < ends.length;) {
      const { at } = ends[next]!;
      for (; next < ends.length && ends[next]!.at === at; next += 1) {
        const { atom, step } = ends[next]!;
        const count = (open.get(atom) ?? 0) + step;
        if (count > 0) open.set(atom, count);
        else open.delete(atom);
      }
      firsts.push(at);
      atoms.push([...open.keys()].sort((a, b) => a - b));
    }
    return { firsts, atoms };
  }
}
