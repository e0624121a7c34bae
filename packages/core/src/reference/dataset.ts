import type { Address, AddressRange } from '../request/address.js';
import type { DomainEntry, Reach } from './domain-set.js';
import { HostTable, type HostRow } from './host-table.js';
import { RangeTable } from './range-table.js';

/** The kinds of lists that can be so large, or change so often, that they are kept apart. */
export const DATASET_KINDS = ['addresses', 'domains', 'urls'] as const;
export type DatasetKind = (typeof DATASET_KINDS)[number];

/** The value of a domain in its table is the place of its reach here. */
export const REACHES: readonly Reach[] = ['whole', 'below', 'only'];

/** The entries of a list that are kept under a name, in their stored form, which threads can share. */
export class Dataset {
  readonly #ranges: RangeTable | undefined;
  readonly #hosts: HostTable | undefined;

  /** @throws DamagedTableError */
  constructor(
    readonly name: string,
    readonly kind: DatasetKind,
    readonly buffer: ArrayBufferLike,
    /** Of the file it was read from. */
    readonly sha256 = '',
    /** The table in the buffer, where it was opened before. */
    opened?: RangeTable | HostTable,
  ) {
    if (kind === 'addresses') this.#ranges = (opened as RangeTable | undefined) ?? new RangeTable(buffer);
    else this.#hosts = (opened as HostTable | undefined) ?? new HostTable(buffer);
  }

  get numEntries(): number {
    return this.#ranges?.numRanges ?? this.#hosts!.numEntries;
  }

  /** The narrowest entry that holds the address; undefined of other kinds. */
  findAddress(address: Address): AddressRange | undefined {
    const row = this.#ranges?.find(address);
    return row && { family: row.family, first: row.first, last: row.last };
  }

  /** The most specific entry that covers the host; undefined of other kinds. */
  findDomain(host: string): DomainEntry | undefined {
    if (this.kind !== 'domains') return undefined;
    const [row] = this.#hosts!.find(host, ({ value }, isItself) => REACHES[value] !== (isItself ? 'below' : 'only'));
    return row && { name: row.host, reach: REACHES[row.value]! };
  }

  /** The entries of a list of URLs whose host covers this one, the most specific host first. */
  urlsCovering(host: string): HostRow[] {
    const rows: HostRow[] = [];
    this.#hosts?.find(host, (row) => {
      rows.push(row);
      return false;
    });
    return rows;
  }

  /** Entries of a list of hosts or URLs. */
  hostRows(): Iterable<HostRow> {
    return this.#hosts?.rows() ?? [];
  }
}
