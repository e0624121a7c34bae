/** The generated log of the replay workloads: made up, skewed as real logs are, the same for the same seed. */
import { Random } from '@jadefence/demo';
import type { Scenery } from './fixtures.js';

/** One request before any format. Texts are as a log shows them. */
export interface BenchRequest {
  readonly atUnixMs: number;
  readonly client: string;
  readonly host: string;
  readonly method: string;
  readonly path: string;
  /** Empty where there is none. */
  readonly query: string;
  readonly status: number;
  readonly bytes: number;
  /** Empty where there is none. */
  readonly referer: string;
  readonly agent: string;
}

/** Starts on a Monday. */
const STARTS_AT_MS = Date.UTC(2026, 8, 7);
const DAY_MS = 86_400_000;
const METHODS = ['GET', 'GET', 'GET', 'GET', 'GET', 'GET', 'GET', 'POST', 'POST', 'HEAD', 'PUT', 'DELETE', 'OPTIONS'];
const STATUSES = [200, 200, 200, 200, 200, 200, 304, 304, 301, 404, 403, 500, 206];
/** Shares of the requests that come with a query, with a referer, and from the one client in a burst. */
const WITH_QUERY = 0.18;
const WITH_REFERER = 0.6;
const IN_BURST = 0.08;
const REQUESTS_A_BURST = 5000;
/** Pages that others are reached from. */
const NUM_REFERRING = 24;

/** Few are requested often, and many seldom: a place among `end`, by a power law. */
export function skewed(random: Random, end: number, power = 3): number {
  return Math.floor(end * random.fraction() ** power);
}

/** @param count over how many requests two weeks are spread, so that twice as many come twice as fast */
export function* generateRequests(scenery: Scenery, seed: number, count: number): Generator<BenchRequest> {
  const random = new Random(seed);
  const stepMs = (14 * DAY_MS) / count;
  let atMs = STARTS_AT_MS;
  for (let index = 0; index < count; index += 1) {
    atMs += random.fraction() * 2 * stepMs;
    const host = scenery.hosts[skewed(random, scenery.hosts.length)]!;
    const path = scenery.paths[skewed(random, scenery.paths.length, 4)]!;
    const client = random.chance(IN_BURST)
      ? scenery.clients[Math.floor(index / REQUESTS_A_BURST) % scenery.clients.length]!
      : scenery.clients[skewed(random, scenery.clients.length, 2)]!;
    yield {
      // A log has whole seconds.
      atUnixMs: Math.floor(atMs / 1000) * 1000,
      client,
      host,
      method: random.pick(METHODS),
      path,
      query: random.chance(WITH_QUERY) ? makeQuery(random) : '',
      status: random.pick(STATUSES),
      bytes: Math.floor(180 * Math.exp(random.fraction() * 5)),
      referer: random.chance(WITH_REFERER) ? `https://${host}${scenery.paths[skewed(random, NUM_REFERRING, 2)]!}` : '',
      agent: scenery.agents[skewed(random, scenery.agents.length)]!,
    };
  }
}

function makeQuery(random: Random): string {
  if (random.chance(0.5)) return `page=${random.below(40)}`;
  return random.chance(0.5)
    ? `q=item-${random.below(20_000)}&sort=new`
    : `session=${random.below(2 ** 30).toString(36)}`;
}

const MONTHS = 'Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec'.split(' ');
let lastSecond = { atUnixMs: -1, text: '' };

/** NCSA combined with the host in front. */
export function formatCombined(request: BenchRequest): string {
  const { atUnixMs, client, host, method, path, query, status, bytes, referer, agent } = request;
  if (lastSecond.atUnixMs !== atUnixMs) lastSecond = { atUnixMs, text: formatTime(atUnixMs) };
  const target = query === '' ? path : `${path}?${query}`;
  return `${host} ${client} - - [${lastSecond.text}] "${method} ${target} HTTP/1.1" ${status} ${bytes} "${referer || '-'}" "${agent}"\n`;
}

export function formatTime(atUnixMs: number): string {
  const iso = new Date(atUnixMs).toISOString();
  return `${iso.slice(8, 10)}/${MONTHS[Number(iso.slice(5, 7)) - 1]}/${iso.slice(0, 4)}:${iso.slice(11, 19)} +0000`;
}

/** The same request as an NDJSON record with OpenTelemetry's names. */
export function formatNdjson(request: BenchRequest): string {
  return `${JSON.stringify({
    'timestamp': new Date(request.atUnixMs).toISOString(),
    'client.address': request.client,
    'url.path': request.path,
    'url.query': request.query || null,
    'http.request.method': request.method,
    'http.request.header.host': [request.host],
    'http.request.header.referer': request.referer ? [request.referer] : null,
    'http.response.status_code': request.status,
    'http.response.body.size': request.bytes,
    'user_agent.original': request.agent,
  })}\n`;
}
