import { createReadStream, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { createCategories, createCountryTable } from '@jadefence/core/reference';
import { formatAddress, parseAddress } from '@jadefence/core/request';
import fc from 'fast-check';
import { Reader } from 'mmdb-lib';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { packFolder, readCategoryFile, readCountryFile, readDatasetFile, UnreadableFileError } from './index.js';

const MMDB = createRequire(import.meta.url).resolve(
  '@ip-location-db/geo-whois-asn-country-mmdb/geo-whois-asn-country.mmdb',
);

async function* piecesOf(bytes: Uint8Array | string, size = 700): AsyncGenerator<Uint8Array> {
  const all = Buffer.from(bytes);
  for (let at = 0; at < all.length; at += size) yield all.subarray(at, at + size);
}

describe('a country table in MMDB', () => {
  let table: ReturnType<typeof createCountryTable>;
  let reader: Reader<never>;
  beforeAll(async () => {
    const file = await readCountryFile(createReadStream(MMDB) as AsyncIterable<Uint8Array>);
    // A code that was withdrawn long ago is reported and left out.
    expect([file.format, file.problems.map(({ message }) => message)]).toEqual([
      'mmdb',
      ['"AN" is no country code of ISO 3166-1'],
    ]);
    table = createCountryTable(file.ranges);
    reader = new Reader(readFileSync(MMDB));
  });

  it('answers as its reader does', () => {
    const four = fc.bigInt(0n, (1n << 32n) - 1n).map((value) => formatAddress({ family: 4, value }));
    // Where the table has ranges: 2001::/16 to 2c0f::/16.
    const six = fc
      .tuple(fc.constantFrom('2001', '2400', '2600', '2a00', '2a02', '2c0f'), fc.bigInt(0n, (1n << 112n) - 1n))
      .map(([top, rest]) => formatAddress({ family: 6, value: (BigInt(`0x${top}`) << 112n) | (rest & ~0xffffn) }));
    let match = 0;
    fc.assert(
      fc.property(fc.oneof(four, six), (address) => {
        const record = reader.get(address) as { country_code?: string } | null;
        const country = table.countryOf(parseAddress(address)!);
        fc.pre(record?.country_code !== 'AN');
        expect(country.length === 2 ? country : undefined).toBe(record?.country_code);
        if (record) match += 1;
      }),
      { numRuns: 4000 },
    );
    expect(match).toBeGreaterThan(1000);
  });

  it('that is broken or cut short cannot be read, whatever was broken', async () => {
    const whole = readFileSync(MMDB);
    const refused = async (bytes: Uint8Array): Promise<string> =>
      readCountryFile(piecesOf(bytes, 1_000_000)).then(
        ({ ranges }) => `${ranges.length} ranges`,
        (error: Error) => {
          expect(error).toBeInstanceOf(UnreadableFileError);
          return error.message;
        },
      );
    expect(await refused(whole.subarray(0, 100_000))).toMatch(/^The MMDB file cannot be read \(/);
    expect(await refused(whole.subarray(0, whole.length - 30))).toMatch(/^The MMDB file cannot be read \(/);
    expect(await refused(Buffer.alloc(5000))).toMatch(/^The MMDB file cannot be read \(/);
  });
});

describe('a country table as text', () => {
  it('may be compressed; a web page or a gzip cut short is none', async () => {
    const rows = '198.18.0.0,198.18.255.255,NO\nregistry|SE|ipv6|2001:db8::|32|20200101|assigned\n';
    expect((await readCountryFile(piecesOf(gzipSync(rows)))).ranges).toHaveLength(2);
    await expect(readCountryFile(piecesOf(gzipSync(rows.repeat(500)).subarray(0, 60)))).rejects.toThrow('cut short');
    await expect(readCountryFile(piecesOf('<!DOCTYPE html><p>Sign in'))).rejects.toThrow('is a web page');
  });
});

describe('a category feed', () => {
  let folder: string;
  beforeAll(() => {
    folder = mkdtempSync(join(tmpdir(), 'jadefence-feed-'));
    for (const name of ['gambling', 'social networks']) mkdirSync(join(folder, name));
    writeFileSync(join(folder, 'gambling', 'domains'), 'stakes.example\nwager.example\n');
    writeFileSync(join(folder, 'gambling', 'urls'), 'cards.example/tables\n');
    writeFileSync(join(folder, 'social networks', 'hosts.txt'), '0.0.0.0 chat.example\n');
    writeFileSync(join(folder, 'ads.txt'), 'banner.example\nmoved.example,news\n');
    writeFileSync(join(folder, 'README'), 'Not a list.\n');
  });
  afterAll(() => rmSync(folder, { recursive: true, force: true }));

  it('may be a folder or archive of lists, whose folder or file names the category', async () => {
    const { feed, report } = await readCategoryFile('f', packFolder(folder));
    const known = createCategories([feed]);
    const categoryOf = (host: string, path = '/'): string => known.find(host, path).categories.join();
    expect([
      categoryOf('stakes.example'),
      categoryOf('cards.example', '/tables/1'),
      categoryOf('chat.example'),
      categoryOf('banner.example'),
      categoryOf('moved.example'),
    ]).toEqual(['gambling', 'gambling', 'social-networks', 'ads', 'news']);
    expect([report.numEntries, report.problems, report.renamed]).toEqual([
      6,
      [],
      { 'social networks': 'social-networks' },
    ]);
  });

  it('in an archive that is cut short is given up', async () => {
    const bytes: Uint8Array[] = [];
    for await (const piece of packFolder(folder)) bytes.push(piece);
    const whole = Buffer.concat(bytes);
    const packed = gzipSync(whole);
    expect((await readCategoryFile('f', piecesOf(packed))).report.numEntries).toBe(6);
    await expect(readCategoryFile('f', piecesOf(packed.subarray(0, packed.length - 40)))).rejects.toThrow('cut short');
    await expect(readCategoryFile('f', piecesOf(whole.subarray(0, 1100)))).rejects.toThrow('cut short');
    await expect(readCategoryFile('f', piecesOf('a.example'), { category: 'No Name' })).rejects.toThrow(
      '"No Name" is no name of a category',
    );
  });

  it('of a great many junk lines costs no memory for each, and is reported by its first lines', async () => {
    const junk = async function* (): AsyncGenerator<Uint8Array> {
      const piece = Buffer.from('this is no site at all\n'.repeat(10_000));
      for (let index = 0; index < 100; index += 1) yield piece;
    };
    const { report } = await readCategoryFile('f', junk());
    expect([report.numLines, report.numEntries, report.numRejected, report.problems.length]).toEqual([
      1_000_000, 0, 1_000_000, 1000,
    ]);
  });
});

describe('the entries of a large list', () => {
  it('come from one file or an archive of them', async () => {
    const { report } = await readDatasetFile('addresses', piecesOf('198.18.0.0/16\n198.18.4.7\nx y\n'));
    expect([report.numEntries, report.numRejected]).toEqual([2, 1]);
    await expect(readDatasetFile('domains', piecesOf('<html><title>Moved'))).rejects.toThrow('is a web page');
  });
});
