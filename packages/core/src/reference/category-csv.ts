import { normalizeHost } from '../request/host.js';
import { normalizePath } from '../request/path.js';
import type { CategoryEntry } from './categories.js';

const CATEGORY_NAME = /^[a-z][a-z0-9-]{0,62}$/;

/**
 * Reads a feed as CSV, rows `domain-or-url,category`, `#` comments and a header line allowed.
 * @returns the usable rows in file order, and a problem for every other row.
 */
export function parseCategoryCsv(text: string): {
  entries: CategoryEntry[];
  problems: { readonly line: number; readonly message: string }[];
} {
  const entries: CategoryEntry[] = [];
  const problems: { line: number; message: string }[] = [];
  text.split(/\r?\n/).forEach((row, index) => {
    if (row.trim() === '' || row.startsWith('#')) return;
    const entry = parseRow(row);
    if (typeof entry !== 'string') entries.push(entry);
    else if (index > 0 || row.includes('.')) problems.push({ line: index + 1, message: entry });
  });
  return { entries, problems };
}

function parseRow(row: string): CategoryEntry | string {
  const cells = row.split(',').map((cell) => cell.trim().replace(/^"(.*)"$/, '$1'));
  const [site, category] = cells;
  if (cells.length !== 2 || site === undefined || category === undefined)
    return `expected "domain-or-url,category", found ${cells.length} column(s)`;
  if (!CATEGORY_NAME.test(category)) return `"${category}" is no name of a category`;
  const [, authority, path] = /^(?:https?:\/\/)?([^/]*)(\/.*)?$/.exec(site) ?? [];
  const host = authority === undefined || !authority.includes('.') ? null : normalizeHost(authority);
  if (host === null) return `"${site}" is no domain or URL`;
  const normal = path === undefined ? '/' : normalizePath(path);
  return { host, ...(normal === '/' ? {} : { path: normal }), category };
}
