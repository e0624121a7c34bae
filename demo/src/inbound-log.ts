/**
 * One day at Larkmoor's inbound gates as an NCSA combined log with the host in front, made up from a seed. Planted
 * events carry a label, so that what the product finds can be checked against what was planted; nothing of the product
 * is used here.
 */
import { DAY_START_UNIX_MS, generateDay, type LogLine, type LogOptions } from './day.js';
import type { Random } from './random.js';
import {
  AGENTS,
  BROWSERS,
  COLLECTION_PATHS,
  STUDIO_PATHS,
  TICKET_PATHS,
  visitorAddress,
  WWW_PATHS,
} from './inbound-fixtures.js';

export const EVENTS = [
  'tout-network',
  'tout-spread',
  'scraper',
  'partner',
  'home-staff',
  'odd-path',
  'malformed',
  'not-http',
  'unknown-host',
] as const;
export type EventLabel = (typeof EVENTS)[number];

interface Visit {
  readonly second: number;
  readonly host: string;
  readonly client: string;
  readonly request: string;
  readonly status: number;
  readonly agent: string;
  readonly referer?: string;
  readonly user?: string;
  readonly label?: EventLabel;
}

/** The lines of the log in the order of time. */
export function generateInboundLog(options: LogOptions): Generator<LogLine<EventLabel>> {
  return generateDay<Visit, EventLabel>(options, {
    weightOf,
    ordinary: ordinaryVisit,
    planted: plantedVisits,
    print: printVisit,
    malformed: MALFORMED,
  });
}

/** Visitors sleep at night and come most around noon and in the evening. */
function weightOf(minute: number): number {
  const hour = minute / 60;
  return 0.15 + Math.exp(-((hour - 12) ** 2) / 8) + 0.8 * Math.exp(-((hour - 20) ** 2) / 5);
}

function ordinaryVisit(_minute: number, random: Random): Visit {
  const second = random.fraction() * 60;
  const agent = random.pick(BROWSERS);
  const share = random.fraction();
  if (share < 0.03) return staffVisit(second, agent, random);
  const client = visitorAddress(random);
  if (share < 0.45)
    return visit(
      second,
      'tickets.larkmoor.example',
      client,
      random.chance(0.04) ? 'POST' : 'GET',
      random.pick(TICKET_PATHS),
      agent,
      random,
    );
  if (share < 0.75)
    return visit(
      second,
      'collection.larkmoor.example',
      client,
      'GET',
      pictured(random.pick(COLLECTION_PATHS), random),
      agent,
      random,
    );
  return visit(
    second,
    'www.larkmoor.example',
    client,
    random.chance(0.03) ? 'HEAD' : 'GET',
    random.pick(WWW_PATHS),
    agent,
    random,
  );
}

function staffVisit(second: number, agent: string, random: Random): Visit {
  const client = `198.18.${4 + random.below(4)}.${1 + random.below(60)}`;
  return {
    ...visit(
      second,
      'studio.larkmoor.example',
      client,
      random.chance(0.2) ? 'POST' : 'GET',
      random.pick(STUDIO_PATHS),
      agent,
      random,
    ),
    user: `staff${1 + random.below(40)}`,
  };
}

function visit(
  second: number,
  host: string,
  client: string,
  method: string,
  path: string,
  agent: string,
  random: Random,
): Visit {
  const status = random.chance(0.02) ? 404 : random.chance(0.05) ? 304 : 200;
  const referer = random.chance(0.4) ? `https://www.larkmoor.example${random.pick(WWW_PATHS)}` : undefined;
  return {
    second,
    host,
    client,
    request: `${method} ${path} HTTP/${random.chance(0.7) ? '2.0' : '1.1'}`,
    status,
    agent,
    referer,
  };
}

function pictured(path: string, random: Random): string {
  return path.replace('{id}', String(1000 + random.below(4000))).replace('{page}', String(1 + random.below(60)));
}

function plantedVisits(minute: number, random: Random): Visit[] {
  return [...toutVisits(minute, random), ...collectionVisits(minute, random), ...strayVisits(minute, random)];
}

/** A ticket tout tries passwords from one network at night, and when that ends, from 300 addresses with one agent. */
function toutVisits(minute: number, random: Random): Visit[] {
  const tries = (count: number, label: EventLabel, clientOf: () => string): Visit[] =>
    Array.from({ length: count }, () => ({
      second: random.fraction() * 60,
      host: 'tickets.larkmoor.example',
      client: clientOf(),
      request: 'POST /login HTTP/1.1',
      status: 401,
      agent: AGENTS.tout,
      label,
    }));
  if (minute >= 190 && minute < 215) return tries(60, 'tout-network', () => `198.19.96.${10 + random.below(6)}`);
  if (minute >= 240 && minute < 300) {
    return tries(20, 'tout-spread', () => {
      const index = random.below(300);
      return `198.19.${112 + (index % 12)}.${1 + Math.floor(index / 12) * 9}`;
    });
  }
  return [];
}

/** A scraper and a partner university read the same API from the same country. */
function collectionVisits(minute: number, random: Random): Visit[] {
  const visits: Visit[] = [];
  const read = (client: string, path: string, agent: string, label: EventLabel): void => {
    visits.push({
      second: random.fraction() * 60,
      host: 'collection.larkmoor.example',
      client,
      request: `GET ${path} HTTP/1.1`,
      status: 200,
      agent,
      label,
    });
  };
  if (minute >= 600 && minute < 700) {
    for (let index = 0; index < 25; index += 1)
      read(
        `198.18.200.${20 + random.below(4)}`,
        pictured('/api/originals/{id}.tiff', random),
        AGENTS.scraper,
        'scraper',
      );
  }
  if (minute >= 480 && minute < 960 && minute % 4 === 0)
    read(`198.18.201.${2 + random.below(3)}`, pictured('/api/pictures?page={page}', random), AGENTS.partner, 'partner');
  return visits;
}

/** Staff at home, servers that were renamed, paths written oddly, and connections that are not HTTP. */
function strayVisits(minute: number, random: Random): Visit[] {
  const second = random.fraction() * 60;
  const agent = random.pick(BROWSERS);
  const visits: Visit[] = [];
  if (minute >= 1110 && minute < 1290 && minute % 5 === 0) {
    visits.push({
      second,
      host: 'studio.larkmoor.example',
      client: `198.18.35.${7 + (minute % 3)}`,
      request: `GET ${random.pick(STUDIO_PATHS)} HTTP/2.0`,
      status: 200,
      agent,
      user: 'staff7',
      label: 'home-staff',
    });
  }
  if (minute % 120 === 77) {
    visits.push({
      second,
      host: 'tickets.larkmoor.example',
      client: visitorAddress(random),
      request: `GET ${random.pick(['//login', '/Login', '/%6cogin', '/a/../login'])} HTTP/1.1`,
      status: 404,
      agent,
      label: 'odd-path',
    });
  }
  if (minute % 90 === 41) {
    visits.push({
      second,
      host: 'old.larkmoor.example',
      client: visitorAddress(random),
      request: 'GET / HTTP/1.1',
      status: 301,
      agent,
      label: 'unknown-host',
    });
  }
  if (minute % 180 === 100) {
    visits.push({
      second,
      host: 'www.larkmoor.example',
      client: visitorAddress(random),
      request: '\\x16\\x03\\x01\\x02\\x00\\x01\\x00',
      status: 400,
      agent: '-',
      label: 'not-http',
    });
  }
  return visits;
}

/** Lines that no reader should take, by the minute in which they come. */
const MALFORMED: Readonly<Record<number, string>> = {
  12: 'tickets.larkmoor.example 198.18.33.7 - - [12/Oct/2026:02:12',
  431: '\u0000\u0000\u0000\u0000\u0000\u0000',
  612: 'collection.larkmoor.example 198.18.65.3 - - [12/Okt/2026:10:12:00 +0000] "GET / HTTP/1.1" 200 512 "-" "-"',
  733: 'worker process 4127 ended',
  734: 'tickets.larkmoor.example 198.18.66.8 - - [32/Oct/2026:12:14:01 +0000] "GET / HTTP/1.1" 200 512 "-" "-"',
  1205: 'www.larkmoor.example 198.18.67.8 - - [12/Oct/2026:20:05:01 +0000] "GET /visit HTTP/1.1" 200',
};

function printVisit(
  { second, host, client, request, status, agent, referer, user }: Visit,
  minute: number,
  random: Random,
): string {
  const at = new Date(DAY_START_UNIX_MS + minute * 60_000 + Math.floor(second) * 1000);
  const time = `12/Oct/2026:${at.toISOString().slice(11, 19)} +0000`;
  const bytes = status === 304 ? '-' : String(200 + random.below(60_000));
  return `${host} ${client} - ${user ?? '-'} [${time}] "${request}" ${status} ${bytes} "${referer ?? '-'}" "${agent}"`;
}
