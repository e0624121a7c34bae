import { isAddressHost } from '../request/host.js';

/** How far an entry of a domains list reaches: the domain and all below, only below it, or only itself. */
export type Reach = 'whole' | 'below' | 'only';

export interface DomainEntry {
  readonly name: string;
  readonly reach: Reach;
}

/** A set of domains. Lookup answers with the most specific entry that covers the host. */
export interface DomainSet {
  readonly entries: readonly DomainEntry[];
  find(host: string): DomainEntry | undefined;
}

/** Method: entries by name; a host is looked up itself, then each parent, longest first. */
export function createDomainSet(entries: readonly DomainEntry[]): DomainSet {
  const byName = {
    whole: new Map<string, DomainEntry>(),
    below: new Map<string, DomainEntry>(),
    only: new Map<string, DomainEntry>(),
  };
  for (const entry of entries) byName[entry.reach].set(entry.name, entry);
  return {
    entries,
    find(host) {
      const exact = byName.only.get(host) ?? byName.whole.get(host);
      if (exact !== undefined || isAddressHost(host)) return exact;
      for (let dot = host.indexOf('.'); dot >= 0; dot = host.indexOf('.', dot + 1)) {
        const parent = host.slice(dot + 1);
        const domainEntry = byName.below.get(parent) ?? byName.whole.get(parent);
        if (domainEntry !== undefined) return domainEntry;
      }
      return undefined;
    },
  };
}

/** An entry as it is written: `shop.example`, `*.shop.example`, `=shop.example`. */
export function formatDomainEntry({ name, reach }: DomainEntry): string {
  return `${{ whole: '', below: '*.', only: '=' }[reach]}${name}`;
}

/** Labels of an entry, the asterisk counted as one (RFC 4592, 2.1.1). */
export function countLabels(entry: DomainEntry): number {
  return entry.name.split('.').length + (entry.reach === 'below' ? 1 : 0);
}

/** Whether an entry is more specific than another: it has more labels, or as many and names only itself. */
export function isCloser(entry: DomainEntry, than: DomainEntry): boolean {
  const difference = countLabels(entry) - countLabels(than);
  return difference > 0 || (difference === 0 && entry.reach === 'only' && than.reach !== 'only');
}
