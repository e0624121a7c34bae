/**
 * One day of traffic out of Larkmoor's networks as NDJSON with OpenTelemetry attribute names, made up from a seed:
 * encrypted requests seen by their TLS server name, plain HTTP, DNS, pings, and first bytes of some. Nothing of the
 * product is used here.
 */
import { DAY_START_UNIX_MS, generateDay, type LogLine, type LogOptions } from './day.js';
import { APPS, GAMES, HOST_ADDRESSES, SITES } from './outbound-fixtures.js';
import type { Random } from './random.js';

export const OUTBOUND_EVENTS = [
  'games-desk-hours',
  'games-lunch',
  'not-dns',
  'backup',
  'foreign-host',
  'malformed',
] as const;
export type OutboundEvent = (typeof OUTBOUND_EVENTS)[number];

interface Flow {
  readonly second: number;
  readonly attributes: Readonly<Record<string, unknown>>;
  readonly label?: OutboundEvent;
}

/** A device of a visitor that sends something else over the port of DNS, and the machine that backs up the offices. */
const ODD_DEVICE = '198.18.41.77';
const BACKUP_MACHINE = '198.18.5.9';

/** The lines of the log in the order of time. */
export function generateOutboundLog(options: LogOptions): Generator<LogLine<OutboundEvent>> {
  return generateDay<Flow, OutboundEvent>(options, {
    weightOf,
    ordinary: ordinaryFlow,
    planted: plantedFlows,
    print: printFlow,
    malformed: MALFORMED,
  });
}

/** Visitors come while the museums are open, staff work at their desks. */
function weightOf(minute: number): number {
  const hour = minute / 60;
  return 0.03 + (hour >= 8 && hour < 17 ? 0.6 : 0) + (hour >= 10 && hour < 18 ? 0.8 : 0);
}

function ordinaryFlow(minute: number, random: Random): Flow {
  const isStaff = minute >= 480 && minute < 1020 && random.chance(0.45);
  const client = isStaff
    ? `198.18.${4 + random.below(4)}.${10 + random.below(80)}`
    : `198.18.${40 + random.below(4)}.${1 + random.below(200)}`;
  const share = random.fraction();
  const second = random.fraction() * 60;
  if (share < 0.25) return dnsFlow(second, client, random.pick(SITES), random);
  if (share < 0.27)
    return {
      second,
      attributes: {
        'client.address': client,
        'destination.address': random.pick(Object.values(HOST_ADDRESSES)),
        'network.transport': 'icmp',
      },
    };
  if (share < 0.33) return httpFlow(second, client, random.pick(SITES), random);
  return tlsFlow(second, client, isStaff && random.chance(0.3) ? random.pick(APPS) : random.pick(SITES), random);
}

function addressOf(host: string): string {
  return HOST_ADDRESSES[host] ?? '198.51.100.200';
}

function dnsFlow(second: number, client: string, host: string, random: Random): Flow {
  const question = host.split('.').map((label) => Buffer.concat([Buffer.from([label.length]), Buffer.from(label)]));
  // A query with one question for an address (RFC 1035, 4.1).
  const message = Buffer.concat([
    Buffer.from([random.below(256), random.below(256), 1, 0, 0, 1, 0, 0, 0, 0, 0, 0]),
    ...question,
    Buffer.from([0, 0, 1, 0, 1]),
  ]);
  return {
    second,
    attributes: {
      'client.address': client,
      'destination.address': '192.0.2.53',
      'server.port': 53,
      'network.transport': 'udp',
      'jade.payload': message.toString('base64'),
    },
  };
}

function httpFlow(second: number, client: string, host: string, random: Random): Flow {
  return {
    second,
    attributes: {
      'client.address': client,
      'destination.address': addressOf(host),
      'server.port': 80,
      'network.transport': 'tcp',
      'url.full': `http://${host}/${random.pick(['', 'news', 'images/logo.png'])}`,
      'http.request.method': 'GET',
      'http.response.status_code': random.chance(0.9) ? 301 : 200,
      'user_agent.original': 'Mozilla/5.0 (X11; Linux x86_64) Browser/141.0',
    },
  };
}

/** An encrypted request: only the server name is visible. */
function tlsFlow(
  second: number,
  client: string,
  host: string,
  random: Random,
  label?: OutboundEvent,
  bytes?: number,
): Flow {
  const isHello = random.chance(0.02);
  return {
    second,
    label,
    attributes: {
      'client.address': client,
      'destination.address': addressOf(host),
      'server.port': 443,
      'network.transport': 'tcp',
      'network.protocol.name': 'tls',
      'tls.client.server_name': host,
      ...(bytes === undefined ? {} : { 'http.request.body.size': bytes }),
      ...(isHello
        ? {
            'jade.payload': Buffer.from([0x16, 0x03, 0x01, 0x00, 0x05, 0x01, 0x00, 0x00, 0x01, 0x00]).toString(
              'base64',
            ),
          }
        : {}),
    },
  };
}

function plantedFlows(minute: number, random: Random): Flow[] {
  const flows: Flow[] = [];
  const second = random.fraction() * 60;
  if (minute >= 540 && minute < 990 && minute % 6 === 0) {
    const label = minute >= 720 && minute < 780 ? 'games-lunch' : 'games-desk-hours';
    flows.push(tlsFlow(second, `198.18.4.${21 + (minute % 3)}`, random.pick(GAMES), random, label));
  }
  if (minute >= 660 && minute < 720) {
    const bytes = Buffer.from(Array.from({ length: 24 }, () => random.below(256) | 0x80));
    flows.push({
      second,
      label: 'not-dns',
      attributes: {
        'client.address': ODD_DEVICE,
        'destination.address': '203.0.113.200',
        'server.port': 53,
        'network.transport': 'udp',
        'jade.payload': bytes.toString('base64'),
      },
    });
  }
  if (minute % 3 === 0)
    flows.push(
      tlsFlow(
        second,
        BACKUP_MACHINE,
        'vault.offsite-copy.example',
        random,
        'backup',
        5_000_000 + random.below(20_000_000),
      ),
    );
  if (minute % 97 === 50)
    flows.push(
      tlsFlow(second, `198.18.4.${40 + random.below(9)}`, 'archive.nordic-prints.example', random, 'foreign-host'),
    );
  return flows;
}

/** Lines that no reader should take, by the minute in which they come. */
const MALFORMED: Readonly<Record<number, string>> = {
  601: '{"timestamp":"2026-10-12T10:01:00Z","client.address":"198.18.4.7"',
  702: '{"client.address":"198.18.4.7","network.transport":"udp"}',
  803: 'flow exporter restarted',
};

function printFlow({ second, attributes }: Flow, minute: number): string {
  const timestamp = new Date(DAY_START_UNIX_MS + minute * 60_000 + Math.floor(second * 1000)).toISOString();
  return JSON.stringify({ timestamp, ...attributes });
}
