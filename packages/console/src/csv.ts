import type { Column } from './components/window-table.js';

/** Rows as CSV (RFC 4180), with the columns as they are shown. */
export function writeCsv<R>(columns: readonly Column<R>[], rows: readonly R[]): string {
  const lines = [columns.map(({ title }) => title), ...rows.map((row) => columns.map(({ text }) => text(row)))];
  return lines.map((cells) => `${cells.map(quote).join(',')}\r\n`).join('');
}

/** A cell; a spreadsheet takes one that begins like a formula for text. */
function quote(cell: string): string {
  const safe = /^[=+\-@\t\r]/.test(cell) ? `'${cell}` : cell;
  return /[",\r\n]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
}
