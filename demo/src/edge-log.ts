/**
 * One day at Larkmoor's edge as NDJSON with OpenTelemetry attribute names, made up from a seed: what visitors of the loans
 * site request through the edge proxies, and what readers in the library request of others, whose device records the whole
 * URL of encrypted requests. Nothing of the product is used here.
 */
import { DAY_START_UNIX_MS, generateDay, type LogLine, type LogOptions } from './day.js';
import { BROWSERS, visitorAddress } from './inbound-fixtures.js';
import { SITES } from './outbound-fixtures.js';
import type { Random } from './random.js';

export const EDGE_EVENTS = ['abroad', 'forged', 'upload', 'health', 'finance', 'malformed'] as const;
export type EdgeEvent = (typeof EDGE_EVENTS)[number];

interface Exchange {
  readonly second: number;
  readonly attributes: Readonly<Record<string, unknown>>;
  readonly label?: EdgeEvent;
}

const LOAN_PATHS = ['/', '/loans', '/loans/terms', '/objects/1204', '/objects/2210', '/objects/3318', '/requests/new'];
const HEALTH_SITES = ['cove-hall-42.example', 'cove-gate-16.example'];
const FINANCE_SITES = ['harbour-stone-11.example', 'amber-field-80.example'];
const FILE_SITE = 'files.pigeonpost.example';

/** The lines of the log in the order of time. */
export function generateEdgeLog(options: LogOptions): Generator<LogLine<EdgeEvent>> {
  return generateDay<Exchange, EdgeEvent>(options, { weightOf, ordinary, planted, print, malformed: MALFORMED });
}

function weightOf(minute: number): number {
  const hour = minute / 60;
  return 0.1 + (hour >= 8 && hour < 18 ? 1 : 0);
}

function ordinary(minute: number, random: Random): Exchange {
  const second = random.fraction() * 60;
  if (random.chance(0.6)) return proxied(second, visitorAddress(random), random);
  const isOpen = minute >= 600 && minute < 1080;
  return isOpen
    ? reading(second, `https://${random.pick(SITES)}/${random.pick(['', 'news', 'search?q=prints'])}`, 'GET', random)
    : proxied(second, visitorAddress(random), random);
}

/** A visitor by way of an edge proxy, and at times with another before it. */
function proxied(second: number, visitor: string, random: Random, label?: EdgeEvent): Exchange {
  const own = random.chance(0.1) ? '192.0.2.77, ' : '';
  return loan(second, `203.0.113.${1 + random.below(60)}`, `${own}${visitor}`, random, label);
}

function loan(second: number, peer: string, forwardedFor: string, random: Random, label?: EdgeEvent): Exchange {
  return {
    second,
    label,
    attributes: {
      'network.peer.address': peer,
      'url.full': `https://loans.larkmoor.example${random.pick(LOAN_PATHS)}`,
      'http.request.method': 'GET',
      'http.request.header.x-forwarded-for': [forwardedFor],
      'http.response.status_code': 200,
      'user_agent.original': random.pick(BROWSERS),
    },
  };
}

function reading(second: number, url: string, method: string, random: Random, label?: EdgeEvent): Exchange {
  return {
    second,
    label,
    attributes: {
      'client.address': `198.18.45.${10 + random.below(40)}`,
      'destination.address': '198.51.100.200',
      'server.port': 443,
      'network.transport': 'tcp',
      'tls.client.server_name': new URL(url).hostname,
      'url.full': url,
      'http.request.method': method,
      'http.request.body.size': method === 'POST' ? 100_000 + random.below(900_000) : 0,
      'http.response.status_code': 200,
      'user_agent.original': random.pick(BROWSERS),
    },
  };
}

function planted(minute: number, random: Random): Exchange[] {
  const second = random.fraction() * 60;
  const exchanges: Exchange[] = [];
  // People from where nothing is lent to come through the proxies like all others.
  if (minute >= 300 && minute < 700 && minute % 2 === 0)
    exchanges.push(proxied(second, `198.19.${96 + random.below(16)}.${1 + random.below(250)}`, random, 'abroad'));
  // Someone who connects without a proxy writes an address of the home market into the header.
  if (minute >= 780 && minute < 900 && minute % 3 === 0)
    exchanges.push(loan(second, '198.19.98.14', '198.18.33.20', random, 'forged'));
  if (minute >= 600 && minute < 1080) {
    if (minute % 4 === 1) exchanges.push(reading(second, `https://${FILE_SITE}/upload/scan`, 'POST', random, 'upload'));
    if (minute % 5 === 2) exchanges.push(reading(second, page(HEALTH_SITES, random), 'GET', random, 'health'));
    if (minute % 7 === 3) exchanges.push(reading(second, page(FINANCE_SITES, random), 'GET', random, 'finance'));
  }
  return exchanges;
}

function page(hosts: readonly string[], random: Random): string {
  return `https://${random.pick(hosts)}/${random.pick(['', 'upload/form', 'account'])}`;
}

/** Lines that no reader should take, by the minute in which they come. */
const MALFORMED: Readonly<Record<number, string>> = { 615: '{"timestamp":"2026-10-12T10:15:00Z","network.peer' };

function print({ second, attributes }: Exchange, minute: number): string {
  const timestamp = new Date(DAY_START_UNIX_MS + minute * 60_000 + Math.floor(second * 1000)).toISOString();
  return JSON.stringify({ timestamp, ...attributes });
}
