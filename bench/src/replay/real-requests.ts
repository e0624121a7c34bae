/**
 * A log as real ones are: quotes, backslashes and letters outside ASCII in a fifth of the lines, some IPv6, clients, paths,
 * agents and hosts that are new all day, lines of very different length, and some that are no requests.
 */
import { Random } from '@jadefence/demo';
import { formatTime, generateRequests, type BenchRequest } from './requests.js';
import type { Scenery } from './fixtures.js';

/** Shares of all lines. */
const WITH_ESCAPES = 0.2;
const WITH_IPV6 = 0.05;
const WITH_FRESH = 0.1;
const LONG = 0.02;
const REJECTED = 0.001;
const MAX_LONG = 1500;

const ODD_AGENTS = [
  'Stoat/4.1 "quoted"',
  'Vole "Beta" (X11; Linux)',
  'Curlew\\3.2',
  'Løvetann/2.0 (blåbær)',
  '未来/1 "新"',
];
const BROKEN = ['-', '198.18.4.7 - - [', 'GET / HTTP/1.1', '{"timestamp":', '\u0016\u0003\u0001', '"""'];

/** A request, or the text of a line that cannot be read as one. */
export type RealLine = BenchRequest | string;

export function* generateRealLines(scenery: Scenery, seed: number, count: number): Generator<RealLine> {
  const random = new Random(seed + 1);
  let number = 0;
  for (const request of generateRequests(scenery, seed, count)) {
    number += 1;
    if (random.chance(REJECTED)) {
      yield random.pick(BROKEN);
      continue;
    }
    const fresh = random.chance(WITH_FRESH);
    const agent = random.chance(WITH_ESCAPES) ? random.pick(ODD_AGENTS) : request.agent;
    const six = `2001:db8:${random.below(0x10000).toString(16)}::${(1 + random.below(0xfffe)).toString(16)}`;
    const client = random.chance(WITH_IPV6) ? six : request.client;
    yield {
      ...request,
      client,
      agent: fresh ? `${agent} build/${number.toString(36)}` : agent,
      host: fresh && number % 4 === 0 ? `h${number.toString(36)}.fresh.example` : request.host,
      path: fresh ? `${request.path}/item-${number.toString(36)}` : request.path,
      query: random.chance(LONG) ? `q=${'x'.repeat(random.below(MAX_LONG))}` : request.query,
    };
  }
}

export const REAL_FORMATS = ['combined-with-host', 'ndjson', 'csv', 'w3c'] as const;
export type RealFormat = (typeof REAL_FORMATS)[number];

const HEADS: Record<RealFormat, string> = {
  'combined-with-host': '',
  'ndjson': '',
  'csv':
    'timestamp,client.address,http.request.method,http.request.header.host,url.path,url.query,http.response.status_code,http.response.body.size,http.request.header.referer,user_agent.original\n',
  'w3c':
    '#Version: 1.0\n#Fields: date time c-ip cs-method cs(Host) cs-uri-stem cs-uri-query sc-status sc-bytes cs(Referer) cs(User-Agent)\n',
};

/** What comes before the first line. */
export function headOf(format: RealFormat): string {
  return HEADS[format];
}

export function formatReal(format: RealFormat, line: RealLine): string {
  if (typeof line === 'string') return `${line}\n`;
  switch (format) {
    case 'combined-with-host':
      return combined(line);
    case 'ndjson':
      return ndjson(line);
    case 'csv':
      return csv(line);
    case 'w3c':
      return w3c(line);
  }
}

let lastSecond = { atUnixMs: -1, text: '' };

function combined({
  atUnixMs,
  client,
  host,
  method,
  path,
  query,
  status,
  bytes,
  referer,
  agent,
}: BenchRequest): string {
  if (lastSecond.atUnixMs !== atUnixMs) lastSecond = { atUnixMs, text: formatTime(atUnixMs) };
  const target = query === '' ? path : `${path}?${query}`;
  return `${host} ${client} - - [${lastSecond.text}] "${method} ${target} HTTP/1.1" ${status} ${bytes} "${referer || '-'}" "${escape(agent)}"\n`;
}

/** As servers escape what clients send. */
function escape(text: string): string {
  if (/^[ !#-[\]-~]*$/.test(text)) return text;
  return [...Buffer.from(text)]
    .map((byte) => {
      if (byte === 0x22) return '\\"';
      if (byte === 0x5c) return '\\\\';
      return byte < 0x20 || byte > 0x7e ? `\\x${byte.toString(16).padStart(2, '0')}` : String.fromCharCode(byte);
    })
    .join('');
}

function ndjson({ atUnixMs, client, host, method, path, query, status, bytes, referer, agent }: BenchRequest): string {
  return `${JSON.stringify({
    'timestamp': new Date(atUnixMs).toISOString(),
    'client.address': client,
    'url.path': path,
    'url.query': query || null,
    'http.request.method': method,
    'http.request.header.host': [host],
    'http.request.header.referer': referer ? [referer] : null,
    'http.response.status_code': status,
    'http.response.body.size': bytes,
    'user_agent.original': agent,
  })}\n`;
}

function csv({ atUnixMs, client, host, method, path, query, status, bytes, referer, agent }: BenchRequest): string {
  const cells = [new Date(atUnixMs).toISOString(), client, method, host, path, query, status, bytes, referer, agent];
  return `${cells.map((cell) => (/[",\n]/.test(String(cell)) ? `"${String(cell).replaceAll('"', '""')}"` : cell)).join(',')}\n`;
}

function w3c({ atUnixMs, client, host, method, path, query, status, bytes, referer, agent }: BenchRequest): string {
  const time = new Date(atUnixMs).toISOString();
  const cells = [client, method, host, path, query || '-', status, bytes, referer || '-', quote(agent)];
  return `${time.slice(0, 10)} ${time.slice(11, 19)} ${cells.join(' ')}\n`;
}

function quote(text: string): string {
  return /[\s"]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}
