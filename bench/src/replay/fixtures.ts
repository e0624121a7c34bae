/** Whom the generated log is about: clients, hosts, paths, agents, a country table and a category feed, all made up. */
import { Random } from '@jadefence/demo';

export interface Scenery {
  readonly clients: readonly string[];
  readonly hosts: readonly string[];
  readonly paths: readonly string[];
  readonly agents: readonly string[];
  readonly countries: readonly CountryRow[];
  /** A million domains, a category each. */
  readonly categories: readonly (readonly [domain: string, category: string])[];
}

/** IPv4 ranges of the benchmarking network, both ends included. */
export interface CountryRow {
  readonly first: number;
  readonly last: number;
  readonly country: string;
}

export const NUM_CATEGORIES = 30;
export const NUM_FEED_DOMAINS = 1_000_000;
const NUM_CLIENTS = 80_000;
const NUM_HOSTS = 20_000;
const NUM_PATHS = 120_000;
const NUM_AGENTS = 4_000;
/** One client in twenty has IPv6. */
const SIX_IN = 20;
/** 198.18.0.0/15 (RFC 2544). */
export const FIRST_ADDRESS = 198 * 2 ** 24 + 18 * 2 ** 16;
export const NUM_ADDRESSES = 2 ** 17;
export const COUNTRY_CODES =
  'NO SE DK FI IS DE FR GB IE NL BE LU CH AT IT ES PT PL CZ SK HU RO BG GR TR UA EE LV LT US CA MX BR AR CL PE CO JP KR CN IN ID TH VN MY SG PH AU NZ ZA NG KE EG MA IL AE SA'.split(
    ' ',
  );

const SYLLABLES = 'an ba co da el fi go ha in jo ka lu mo ne or pa qui ra so ta un vi we xa yo za'.split(' ');
const SEGMENTS =
  'account admin api archive assets basket blog catalogue checkout docs download events export feed files gallery help images items login media members news order pages payment profile report resale search session shop static status tags tickets upload users video wiki'.split(
    ' ',
  );
const PRODUCTS = 'Heron Otter Badger Linnet Plover Stoat Curlew Marten Dipper Vole'.split(' ');
const SYSTEMS = [
  'X11; Linux x86_64',
  'Windows NT 10.0; Win64; x64',
  'Macintosh; Intel Mac OS X 14_5',
  'Android 15; Mobile',
];

export function makeScenery(seed: number): Scenery {
  const random = new Random(seed);
  const categories = Array.from({ length: NUM_FEED_DOMAINS }, (_, index): readonly [string, string] => [
    `${word(random)}${index.toString(36)}.example`,
    `kind-${random.below(NUM_CATEGORIES)}`,
  ]);
  return {
    clients: distinct(NUM_CLIENTS, () => makeClient(random)),
    hosts: distinct(NUM_HOSTS, () => makeHost(random, categories)),
    paths: distinct(NUM_PATHS, () => makePath(random)),
    agents: distinct(NUM_AGENTS, () => makeAgent(random)),
    countries: makeCountries(random),
    categories,
  };
}

function distinct(count: number, make: () => string): string[] {
  const all = new Set<string>();
  while (all.size < count) all.add(make());
  return [...all];
}

function word(random: Random): string {
  return Array.from({ length: 2 + random.below(3) }, () => random.pick(SYLLABLES)).join('');
}

export function formatIpv4(address: number): string {
  return [24, 16, 8, 0].map((shift) => Math.floor(address / 2 ** shift) % 256).join('.');
}

function makeClient(random: Random): string {
  if (random.below(SIX_IN) > 0) return formatIpv4(FIRST_ADDRESS + random.below(NUM_ADDRESSES));
  return `2001:db8:${(1 + random.below(0xfff)).toString(16)}:${(1 + random.below(0xf)).toString(16)}::${(1 + random.below(0xffff)).toString(16)}`;
}

/** Half of the hosts are known to the feed, some below a domain of it. */
function makeHost(random: Random, categories: Scenery['categories']): string {
  const domain = random.chance(0.5) ? random.pick(categories)[0] : `${word(random)}-${random.below(5000)}.example`;
  return random.chance(0.4) ? `${random.pick(['www', 'shop', 'cdn', 'static'])}.${domain}` : domain;
}

function makePath(random: Random): string {
  const depth = 1 + random.below(4);
  const segments = Array.from({ length: depth }, () => random.pick(SEGMENTS));
  const last = random.below(3);
  if (last === 0) segments.push(`${word(random)}-${random.below(10_000)}`);
  if (last === 1)
    segments.push(`${word(random)}${random.below(1000)}.${random.pick(['html', 'js', 'css', 'png', 'php', 'pdf'])}`);
  return `/${segments.join('/')}`;
}

function makeAgent(random: Random): string {
  const product = random.pick(PRODUCTS);
  const version = `${1 + random.below(140)}.${random.below(10)}.${random.below(4000)}`;
  if (random.chance(0.15)) return `${product}Bot/${version} (+https://${product.toLowerCase()}.example/bot)`;
  return `${product}/${version} (${random.pick(SYSTEMS)}) ${random.pick(PRODUCTS)}Engine/${1 + random.below(99)}`;
}

/** Ranges side by side, a gap now and then. */
function makeCountries(random: Random): CountryRow[] {
  const rows: CountryRow[] = [];
  for (let first = FIRST_ADDRESS; first < FIRST_ADDRESS + NUM_ADDRESSES;) {
    const last = Math.min(first + 2 ** (4 + random.below(4)) - 1, FIRST_ADDRESS + NUM_ADDRESSES - 1);
    if (!random.chance(0.05)) rows.push({ first, last, country: random.pick(COUNTRY_CODES) });
    first = last + 1;
  }
  return rows;
}
