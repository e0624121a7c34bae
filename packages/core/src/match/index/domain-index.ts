/** Which sets of domains hold a host: entries by name, looked up for the host and each domain above it. */
import type { Lookup } from '../../check/lookups.js';
import { collectEntries } from './list-entries.js';
import type { Members } from '../../check/members.js';
import type { Comparison, Value } from '../../language/tree.js';
import type { Reach } from '../../reference/domain-set.js';
import { isAddressHost } from '../../request/host.js';
import { invariant } from '../../request/invariant.js';
import type { AtomSet } from './atom-set.js';

interface Entry {
  readonly atom: number;
  readonly reach: Reach;
  /** Looked up if the entries match, since some are exceptions. */
  readonly members?: Members;
}

export class DomainIndex {
  readonly #byName = new Map<string, Entry[]>();
  /** Too many to be indexed; looked up themselves. */
  readonly #large: { readonly atom: number; readonly members: Members }[] = [];

  add(atom: number, operator: Comparison['operator'], values: readonly Value[], lookup: Lookup | undefined): void {
    if (operator === 'under') {
      for (const value of values) {
        invariant(value.kind === 'domain', `a host is compared with a ${value.kind}`);
        this.#insert(value.entry.name, { atom, reach: 'whole' });
      }
      return;
    }
    invariant(lookup?.kind === 'members', 'a set of domains was not prepared');
    const { members, lists } = lookup;
    const collected = collectEntries(values, lists);
    if (!collected) {
      this.#large.push({ atom, members });
      return;
    }
    for (const value of collected.entries)
      if (value.kind === 'domain')
        this.#insert(value.entry.name, { atom, reach: value.entry.reach, ...(collected.isExact ? {} : { members }) });
  }

  #insert(name: string, entry: Entry): void {
    const entries = this.#byName.get(name);
    if (entries) entries.push(entry);
    else this.#byName.set(name, [entry]);
  }

  collect(host: string, atoms: AtomSet): void {
    for (const { atom, members } of this.#large) if (members.find(host)) atoms.addTrue(atom);
    if (this.#byName.size === 0) return;
    for (const { atom, reach, members } of this.#byName.get(host) ?? [])
      if (reach !== 'below' && (!members || members.find(host))) atoms.addTrue(atom);
    if (isAddressHost(host)) return;
    for (let dot = host.indexOf('.'); dot >= 0; dot = host.indexOf('.', dot + 1)) {
      for (const { atom, reach, members } of this.#byName.get(host.slice(dot + 1)) ?? [])
        if (reach !== 'only' && (!members || members.find(host))) atoms.addTrue(atom);
    }
  }
}
