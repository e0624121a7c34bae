import type { Field } from './field.js';

/** A value as JSON can hold it. */
export type AttributeValue =
  string | number | boolean | readonly AttributeValue[] | { readonly [key: string]: AttributeValue | null };

/**
 * What a log contains about one request, under OpenTelemetry's attribute names and ours (`jade.`), nothing interpreted yet.
 * `null` is none, a missing key is unknown.
 */
export type Attributes = { readonly [name: string]: Field<AttributeValue> };

/** One accepted line of a log. */
export interface LogRecord {
  /** 1-based number of the line in its file. */
  readonly line: number;
  /** Whole milliseconds since 1970-01-01T00:00:00Z, rounded down. */
  readonly atUnixMs: number;
  /** The request has no time: `atUnixMs` only keeps its order. */
  readonly isTimeUnknown?: boolean;
  readonly attributes: Attributes;
}

/** A line that could not become a request. */
export interface RejectedLine {
  /** Name of its file, where the log has several. */
  readonly file?: string;
  readonly line: number;
  readonly reason: RejectReason;
  /** The first 200 bytes of the line, invalid UTF-8 shown as U+FFFD. */
  readonly start: string;
}

/** Why a line was rejected, with its text. */
export const REJECT_REASONS = {
  'overlong': 'the line is longer than the limit',
  'not-the-format': 'the line does not match the format',
  'no-time': 'the line has no time',
  'bad-time': 'the time cannot be read',
  'cut-off': 'the line is cut off where the compressed file ends',
  'not-json': 'the line is not JSON',
  'not-an-object': 'the line is JSON but not an object',
  'too-deep': 'the JSON is nested deeper than 32 levels',
  'not-syslog': 'the line does not begin as a line of syslog',
  'no-year': 'the time of the syslog line has no year; give the year in which the log begins',
} as const;
export type RejectReason = keyof typeof REJECT_REASONS;

/**
 * The order in which a record's attributes are written. Attributes that are not here follow, sorted by name;
 * `http.request.header.<name>` attributes are at the position of their prefix, sorted by name.
 */
const ATTRIBUTE_ORDER: readonly string[] = [
  'timestamp',
  'client.address',
  'network.peer.address',
  'client.port',
  'server.address',
  'destination.address',
  'server.port',
  'network.transport',
  'network.protocol.name',
  'network.protocol.version',
  'url.full',
  'url.scheme',
  'url.path',
  'url.query',
  'http.request.method',
  'http.request.header.',
  'http.request.body.size',
  'http.request.size',
  'http.response.status_code',
  'http.response.body.size',
  'http.response.size',
  'user_agent.original',
  'user.name',
  'tls.client.server_name',
  'jade.groups',
  'jade.all-headers',
  'jade.inspected',
  'jade.payload',
  'jade.at-gate',
];
const ORDER_OF = new Map(ATTRIBUTE_ORDER.map((name, index) => [name, index]));
const HEADER_PREFIX = 'http.request.header.';

/** Whether a request can have an attribute of this name. */
export function isAttributeName(name: string): boolean {
  return name.startsWith(HEADER_PREFIX)
    ? name.length > HEADER_PREFIX.length
    : name !== 'timestamp' && ORDER_OF.has(name);
}

function orderOf(name: string): number {
  return ORDER_OF.get(name.startsWith(HEADER_PREFIX) ? HEADER_PREFIX : name) ?? ATTRIBUTE_ORDER.length;
}

/** The attribute names in the order in which a record is written. */
export function sortAttributeNames(names: readonly string[]): string[] {
  return [...names].sort((a, b) => orderOf(a) - orderOf(b) || (a < b ? -1 : 1));
}

/** The file of a record, where its log has several. */
export const FILE_ATTRIBUTE = 'jade.file';

/** Attributes that a judgement writes; a record that carries them already (it was judged before) loses them on input. */
export const DECISION_ATTRIBUTES: readonly string[] = [
  'jade.line',
  'jade.outcome',
  'jade.stopped',
  'jade.gate',
  'jade.fence',
  'jade.rule',
  'jade.status',
  'jade.reason',
  'jade.would',
  'jade.throttle',
  FILE_ATTRIBUTE,
  'jade.tags',
  'jade.blind',
  'jade.country',
  'jade.client',
];
