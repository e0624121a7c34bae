import type { AttributeValue } from '../request/record.js';
import type { DecidedRecord } from './decided-record.js';

/** The columns of decisions as CSV: what is known of most requests, then the decision. Everything else is in NDJSON only. */
export const CSV_COLUMNS = [
  'timestamp',
  'client.address',
  'network.peer.address',
  'server.address',
  'url.full',
  'url.path',
  'url.query',
  'http.request.method',
  'http.request.header.host',
  'http.response.status_code',
  'http.response.body.size',
  'user_agent.original',
  'user.name',
  'jade.line',
  'jade.outcome',
  'jade.stopped',
  'jade.gate',
  'jade.fence',
  'jade.rule',
  'jade.status',
  'jade.reason',
  'jade.would',
  'jade.file',
  'jade.tags',
  'jade.blind',
  'jade.country',
  'jade.client',
] as const;

export function printCsvHeader(): string {
  return CSV_COLUMNS.join(',');
}

/** One row as RFC 4180 has it, without its line break. None and unknown are empty. */
export function printCsvRow(record: DecidedRecord): string {
  return CSV_COLUMNS.map((column) => printCell(record[column])).join(',');
}

function printCell(value: AttributeValue | null | undefined): string {
  if (value == null) return '';
  return printCsvCell(
    Array.isArray(value)
      ? value.map((one) => (typeof one === 'string' ? one : JSON.stringify(one))).join(' ')
      : String(value),
  );
}

/** A text as one cell: quoted where it must be, and made harmless where a spreadsheet would run it as a formula. */
export function printCsvCell(text: string): string {
  const harmless = /^[=+\-@\t\r]/.test(text) ? `'${text}` : text;
  return /[",\r\n]/.test(harmless) ? `"${harmless.replaceAll('"', '""')}"` : harmless;
}
