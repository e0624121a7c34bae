import { createReadStream, readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { createCountryTable, encodeCountryTable, type CountryTable } from '@jadefence/core/reference';
import { readCountryFile } from '@jadefence/files';
import { parseAddress } from '@jadefence/core/request';
import { Reader } from 'mmdb-lib';
import { Random } from '@jadefence/demo';
import { heapAndBuffers, median, printTimes, timeRounds } from './measure.js';

const ROUNDS = 9;
const NUM_LOOKUPS = 200_000;
const require = createRequire(import.meta.url);

/** Country lookups from the text of addresses, by the path that rules, surveys and reports take, compared with the MMDB reader on the same addresses; loading and memory. */
export async function benchCountry(): Promise<void> {
  const fileOf = (name: string): string => require.resolve(`@ip-location-db/geo-whois-asn-country/${name}`);
  const read = async (name: string) => (await readCountryFile(createReadStream(fileOf(name)))).ranges;
  const startedMs = performance.now();
  const ranges = [...(await read('geo-whois-asn-country-ipv4.csv')), ...(await read('geo-whois-asn-country-ipv6.csv'))];
  const buffer = encodeCountryTable(ranges);
  const importSeconds = (performance.now() - startedMs) / 1000;
  const addresses = drawAddresses(ranges);
  const before = heapAndBuffers();
  const loading: number[] = [];
  let table: CountryTable = createCountryTable(buffer);
  for (let round = 0; round < ROUNDS; round += 1) {
    const startMs = performance.now();
    // A copy simulates the bytes as they come from the store.
    table = createCountryTable(buffer.slice(0));
    loading.push((performance.now() - startMs) / 1000);
  }
  const bytes = heapAndBuffers() - before;
  const mmdb = readFileSync(require.resolve('@ip-location-db/geo-whois-asn-country-mmdb/geo-whois-asn-country.mmdb'));
  const cached = new Map<string | number, unknown>();
  const cache = {
    get: (key: string | number) => cached.get(key),
    set: (key: string | number, item: unknown) => void cached.set(key, item),
  };
  const reader = new Reader<never>(mmdb);
  const cachingReader = new Reader<never>(mmdb, { cache });
  let match = 0;
  const times = await timeRounds(ROUNDS, {
    'jadefence': () => {
      for (const text of addresses) {
        const address = parseAddress(text);
        if (address && table.countryOf(address) !== 'no-country') match += 1;
      }
    },
    'MMDB reader': () => {
      for (const address of addresses) if (reader.get(address) !== null) match += 1;
    },
    'with a cache': () => {
      for (const address of addresses) if (cachingReader.get(address) !== null) match += 1;
    },
  });
  process.stdout.write(
    `country: ${ranges.length.toLocaleString('en')} ranges of both families, ${NUM_LOOKUPS.toLocaleString('en')} addresses as text, ${ROUNDS} interleaved rounds\n`,
  );
  printTimes(times, NUM_LOOKUPS, 'lookups');
  const [ours, theirs, cachedTheirs] = ['jadefence', 'MMDB reader', 'with a cache'].map((name) =>
    median(times[name]!),
  ) as [number, number, number];
  const agree = addresses.filter((address) => {
    const record = reader.get(address) as { country_code?: string } | null;
    return (record?.country_code ?? undefined) === twoLetters(table.countryOf(parseAddress(address)!));
  }).length;
  process.stdout.write(
    `  ${(theirs / ours).toFixed(1)} times the reader (goal: 10), ${(cachedTheirs / ours).toFixed(1)} times the reader with a cache of records; ${agree.toLocaleString('en')} of ${NUM_LOOKUPS.toLocaleString('en')} answers agree (${match > 0 ? 'overlapping rows are resolved otherwise there' : ''})\n` +
      `  in memory ${(bytes / 1e6).toFixed(1)} MB (goal: under 64); loading from the stored form median ${median(loading).toFixed(3)} s (${Math.min(...loading).toFixed(3)} to ${Math.max(...loading).toFixed(3)}; target 1 s); import from CSV ${importSeconds.toFixed(1)} s\n`,
  );
}

function twoLetters(country: string | undefined): string | undefined {
  return country?.length === 2 ? country : undefined;
}

/** Inside ranges of the table, drawn by seed, as the clients of logs are. */
function drawAddresses(ranges: readonly { family: 4 | 6; first: bigint; last: bigint }[]): string[] {
  const random = new Random(20_260_617);
  const [encoder, decoder] = [new TextEncoder(), new TextDecoder()];
  return Array.from({ length: NUM_LOOKUPS }, () => {
    const { family, first, last } = ranges[random.below(ranges.length)]!;
    const size = last - first + 1n;
    const text = textOf(family, first + (BigInt(random.below(0x1_0000_0000)) * size) / 0x1_0000_0000n);
    // As it comes out of a log: a concatenated text is slower to read, for either side.
    return decoder.decode(encoder.encode(text));
  });
}

function textOf(family: 4 | 6, value: bigint): string {
  if (family === 4) return [24n, 16n, 8n, 0n].map((shift) => String((value >> shift) & 255n)).join('.');
  const groups = Array.from({ length: 8 }, (_, at) => ((value >> BigInt(112 - 16 * at)) & 0xffffn).toString(16));
  return groups.join(':').replace(/(^|:)0(:0)+(:|$)/, '::');
}
