/** Tables and decisions as CSV (RFC 4180). */
import type { DecidedRecord } from '@jadefence/core/replay';
import { DECISION_ATTRIBUTES } from '@jadefence/core/request';
import { stringify } from 'csv-stringify/sync';

/** The columns of decisions as CSV: what is known of most requests, then the decision. Everything else is in NDJSON only. */
const CSV_COLUMNS = [
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
  ...DECISION_ATTRIBUTES,
];

/** A cell that a spreadsheet would run as a formula is made harmless. */
const OPTIONS = { escape_formulas: true, quoted_match: /\r/, eof: false };

/** One row without its line break. */
export function printCsvRow(cells: readonly string[]): string {
  return stringify([cells], OPTIONS);
}

export function printDecisionHeader(): string {
  return printCsvRow(CSV_COLUMNS);
}

/** A decision without its line break. None and unknown are empty. */
export function printDecisionRow(record: DecidedRecord): string {
  return printCsvRow(CSV_COLUMNS.map((column) => textOf(record[column])));
}

function textOf(value: DecidedRecord[string] | undefined): string {
  if (value == null) return '';
  if (!Array.isArray(value)) return String(value);
  return value.map((item) => (typeof item === 'string' ? item : JSON.stringify(item))).join(' ');
}
