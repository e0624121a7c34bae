import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { parseAddress } from '../request/address.js';
import { DatasetReader } from '../language/dataset-lines.js';
import { isBelowDomain } from '../request/host.js';
import { Dataset, REACHES, type DatasetKind } from './dataset.js';
import { createDomainSet, formatDomainEntry, type DomainEntry, type Reach } from './domain-set.js';
import { createHostTable } from './host-table-builder.js';
import { HostTable, type HostRow } from './host-table.js';

const label = fc.constantFrom('a', 'b', 'c');
const host = fc.oneof(
  fc.array(label, { minLength: 1, maxLength: 4 }).map((labels) => labels.join('.')),
  fc.constantFrom('198.18.4.7', '4.7', '2001:db8::1', 'a.198.18.4.7'),
);
const path = fc.constantFrom('', '/', '/a', '/a/b', '/ab');
const row: fc.Arbitrary<HostRow> = fc.record({ host, path, value: fc.constantFrom(0, 1, 300) });
const isCovered = (requested: string, name: string): boolean => requested === name || isBelowDomain(requested, name);

describe('a host table', () => {
  it('finds the entries of the most specific host that has accepted ones, as a look at every entry does', () => {
    fc.assert(
      fc.property(fc.array(row, { maxLength: 40 }), host, (rows, requested) => {
        const table = new HostTable(createHostTable(rows).buffer);
        const isWanted = ({ value }: HostRow): boolean => value !== 300;
        const covering = rows.filter((hostRow) => isWanted(hostRow) && isCovered(requested, hostRow.host));
        const longest = Math.max(...covering.map((hostRow) => hostRow.host.length));
        const distinct = new Map(
          covering
            .filter((hostRow) => hostRow.host.length === longest)
            .map((hostRow) => [JSON.stringify(hostRow), hostRow]),
        );
        expect(table.find(requested, isWanted)).toEqual([...distinct.values()]);
        expect(table.covers(requested)).toBe(rows.some((hostRow) => isCovered(requested, hostRow.host)));
        expect(table.numEntries).toBe(new Set(rows.map((hostRow) => JSON.stringify(hostRow))).size);
        expect(new Set(Array.from(table.rows(), (hostRow) => JSON.stringify(hostRow)))).toEqual(
          new Set(rows.map((hostRow) => JSON.stringify(hostRow))),
        );
      }),
      { numRuns: 500 },
    );
  });

  it('keeps many paths of one host, and each once', () => {
    const rows = Array.from({ length: 200 }, (_, index) => ({ host: 'a.example', path: `/${index % 100}`, value: 1 }));
    expect(createHostTable(rows).find('www.a.example', () => true)).toHaveLength(100);
  });

  it('is refused when its bytes are not what they should be', () => {
    const buffer = createHostTable([{ host: 'a.example', path: '', value: 0 }]).buffer as ArrayBuffer;
    const bytes = new Uint8Array(buffer.slice(0));
    bytes[bytes.length - 1]! ^= 1;
    expect(() => new HostTable(bytes.buffer)).toThrow('the checksum of the table of hosts does not fit its bytes');
    expect(() => new HostTable(buffer.slice(0, 40))).toThrow('40 bytes, not those of its header');
    expect(() => new HostTable(new ArrayBuffer(40))).toThrow('do not begin as a table of hosts');
  });
});

const read = (kind: DatasetKind, ...lines: string[]) => {
  const reader = new DatasetReader(kind);
  const bytes = new TextEncoder().encode(lines.join('\n'));
  // In pieces, so that lines and characters are cut.
  for (let at = 0; at < bytes.length; at += 7) reader.push(bytes.subarray(at, at + 7));
  const { buffer, report } = reader.end();
  return { dataset: new Dataset('d', kind, buffer), report };
};

describe('a dataset', () => {
  it('of domains answers as a set of the same entries does', () => {
    const entry: fc.Arbitrary<DomainEntry> = fc.record({ name: host, reach: fc.constantFrom<Reach>(...REACHES) });
    fc.assert(
      fc.property(fc.array(entry, { maxLength: 12 }), host, (entries, requested) => {
        const table = createHostTable(
          entries.map(({ name, reach }) => ({ host: name, path: '', value: REACHES.indexOf(reach) })),
        );
        const domainEntry = new Dataset('d', 'domains', table.buffer).findDomain(requested);
        const slow = createDomainSet(entries).find(requested);
        // Of two entries that reach a host alike either may be named.
        expect(domainEntry?.name).toBe(slow?.name);
      }),
      { numRuns: 300 },
    );
  });

  it('is read a line an entry, of hosts files too; what is no entry is reported with its line', () => {
    const { dataset, report } = read(
      'domains',
      '# a comment',
      'a.example # why',
      '*.b.example',
      '=c.example',
      'bücher.example',
      '0.0.0.0 d.example e.example',
      '127.0.0.1 localhost',
      'not a domain',
      'other-list',
    );
    const entryOf = (requested: string): string | undefined => {
      const domainEntry = dataset.findDomain(requested);
      return domainEntry && formatDomainEntry(domainEntry);
    };
    expect(
      ['x.a.example', 'b.example', 'x.b.example', 'c.example', 'x.c.example', 'xn--bcher-kva.example', 'e.example'].map(
        entryOf,
      ),
    ).toEqual(['a.example', undefined, '*.b.example', '=c.example', undefined, 'xn--bcher-kva.example', 'e.example']);
    expect(report).toEqual({
      numLines: 9,
      numOwnNames: 1,
      numEntries: 6,
      numRejected: 2,
      problems: [
        { line: 8, message: 'Found "not", expected a domain or list of domains.' },
        { line: 9, message: '"other-list" is the name of a list, which a dataset cannot contain' },
      ],
    });
  });

  it('of addresses finds the narrowest entry', () => {
    const { dataset } = read('addresses', '198.18.0.0/16', '198.18.4.0/24', '2001:db8::1 - 2001:db8::9');
    expect(dataset.findAddress(parseAddress('198.18.4.7')!)).toEqual({
      family: 4,
      first: 0xc6120400n,
      last: 0xc61204ffn,
    });
    expect(dataset.numEntries).toBe(3);
  });
});
