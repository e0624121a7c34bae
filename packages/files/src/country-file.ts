import {
  isCountryCode,
  parseCountryTexts,
  type CountryRange,
  type CountryRows,
  type CountryText,
} from '@jadefence/core/reference';
import { formatAddress, type Family } from '@jadefence/core/request';
import { Reader } from 'mmdb-lib';
import { filesOf } from './archive.js';
import { decompress, UnreadableFileError } from './decompress.js';

export interface CountryFile extends CountryRows {
  readonly format: 'text' | 'mmdb';
  /** The build time in the table. */
  readonly builtAt?: Date;
}

const TEXT_SAMPLE_BYTES = 4096;
/** A table is held whole, as text. The largest known have a tenth of this. */
const MAX_BYTES = 256 * 1024 * 1024;
/**
 * A tree can share its branches, so that a small file holds more networks than memory does. Real ones share those of
 * IPv4 at a few places.
 */
const NETWORKS_A_NODE = 8;
const MIN_NETWORKS = 1000;

/**
 * Reads a country table: rows of text in any of their shapes, also as a tar archive of several files, or the open MMDB
 * format, all also as gzip.
 * @throws UnreadableFileError
 */
export async function readCountryFile(pieces: AsyncIterable<Uint8Array>): Promise<CountryFile> {
  const texts: CountryText[] = [];
  for await (const file of filesOf(decompress(pieces, MAX_BYTES))) {
    const gathered: Uint8Array[] = [];
    // Files of an archive may be compressed, too.
    for await (const piece of decompress(file.pieces, MAX_BYTES)) gathered.push(piece);
    const bytes = Buffer.concat(gathered);
    const isBinary = bytes.subarray(0, TEXT_SAMPLE_BYTES).includes(0);
    if (isBinary && file.path === undefined) return readMmdb(bytes);
    if (isBinary) throw new UnreadableFileError(`${file.path} is no text; a table of the MMDB format is sent alone.`);
    const text = bytes.toString('utf8');
    if (/^\s*<(!doctype|html|\?xml)/i.test(text))
      throw new UnreadableFileError(`${file.path ?? 'The file'} is a web page, not a country table.`);
    texts.push({ ...(file.path === undefined ? {} : { file: file.path }), text });
  }
  return { format: 'text', ...parseCountryTexts(texts) };
}

/** What the records of country tables are known to look like. */
interface CountryRecord {
  readonly country?: string | { readonly iso_code?: string };
  readonly registered_country?: { readonly iso_code?: string };
  readonly country_code?: string;
}

function readMmdb(bytes: Buffer): CountryFile {
  try {
    const reader = new Reader<never>(bytes);
    const { ipVersion, buildEpoch, nodeCount } = reader.metadata;
    const maxNetworks = MIN_NETWORKS + NETWORKS_A_NODE * nodeCount;
    const problems: CountryFile['problems'] = [];
    const ranges = [
      ...expand(reader, 4, maxNetworks, problems),
      ...(ipVersion === 6 ? expand(reader, 6, maxNetworks, problems) : []),
    ];
    return { format: 'mmdb', ranges, problems, builtAt: new Date(buildEpoch) };
  } catch (error) {
    throw new UnreadableFileError(`The MMDB file cannot be read (${(error as Error).message}).`);
  }
}

/**
 * Looks up the network around the first address, then around the next one, to the end. Neighbours of one country
 * become one range.
 */
function expand(
  reader: Reader<never>,
  family: Family,
  maxNetworks: number,
  problems: CountryFile['problems'],
): CountryRange[] {
  const bits = family === 4 ? 32 : 128;
  const end = 1n << BigInt(bits);
  const ranges: CountryRange[] = [];
  const unknown = new Set<string>();
  let last: { first: bigint; last: bigint; country: string } | undefined;
  let steps = 0;
  // The lowest 2^32 addresses of IPv6 are those of IPv4 in such a file.
  for (let at = family === 4 ? 0n : 1n << 32n; at < end; steps += 1) {
    if (steps > maxNetworks) throw new Error(`its tree has more than ${maxNetworks.toLocaleString('en')} networks`);
    const [record, prefixBits] = reader.getWithPrefixLength(textOf(family, at)) as [CountryRecord | null, number];
    const size = 1n << BigInt(bits - prefixBits);
    const next = (at / size + 1n) * size;
    const country = record && codeOf(record);
    if (country && !isCountryCode(country) && !unknown.has(country)) {
      unknown.add(country);
      problems.push({ line: 0, message: `"${country}" is no country code of ISO 3166-1`, isUsed: false });
    } else if (country && isCountryCode(country)) {
      if (last?.country === country && last.last === at - 1n) last.last = next - 1n;
      else {
        last = { first: at, last: next - 1n, country };
        ranges.push({ family, ...last });
        last = ranges.at(-1) as typeof last;
      }
    }
    at = next;
  }
  return ranges;
}

/** IPv4-mapped addresses are written so that the reader follows the tree of IPv6. */
function textOf(family: Family, value: bigint): string {
  if (family === 4) return formatAddress({ family, value });
  return Array.from({ length: 8 }, (_, group) => ((value >> BigInt(112 - 16 * group)) & 0xffffn).toString(16)).join(
    ':',
  );
}

function codeOf({ country, registered_country: registered, country_code: code }: CountryRecord): string | undefined {
  if (typeof country === 'string') return country;
  return country?.iso_code ?? registered?.iso_code ?? code;
}
