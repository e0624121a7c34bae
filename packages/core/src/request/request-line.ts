/** The parts of a request line (RFC 9112, 3), as attributes; all null where the line is not HTTP. */
export interface RequestLine {
  readonly method: string | null;
  /** The whole target, where it is in absolute form. */
  readonly full: string | null;
  /** The target up to `?`, where it is in origin form, asterisk form, or the authority of a CONNECT (then empty). */
  readonly path: string | null;
  readonly query: string | null;
  /** The authority of a CONNECT. */
  readonly authority: string | null;
  readonly version: string | null;
}

const NOT_HTTP: RequestLine = { method: null, full: null, path: null, query: null, authority: null, version: null };
const METHOD = /^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/;
const VERSION = /^HTTP\/(\d(?:\.\d)?)$/;

/** Reads `METHOD target HTTP/version`, also without a version (HTTP/0.9) and with stray spaces in the target. */
export function parseRequestLine(text: string): RequestLine {
  const firstSpace = text.indexOf(' ');
  if (firstSpace <= 0) return NOT_HTTP;
  const method = text.slice(0, firstSpace);
  const lastSpace = text.lastIndexOf(' ');
  const version = lastSpace > firstSpace ? (VERSION.exec(text.slice(lastSpace + 1))?.[1] ?? null) : null;
  const target = text.slice(firstSpace + 1, version === null ? undefined : lastSpace);
  if (!METHOD.test(method) || (version === null && target.includes(' '))) return NOT_HTTP;
  if (target.startsWith('/') || target === '*') return originForm(method, target, version);
  if (/^[A-Za-z][A-Za-z0-9+.-]*:\/\//.test(target)) return { ...NOT_HTTP, method, full: target, version };
  // A malformed authority is kept: the host is then none, and the request still a CONNECT.
  return method === 'CONNECT' ? { ...NOT_HTTP, method, path: '', authority: target, version } : NOT_HTTP;
}

function originForm(method: string, target: string, version: string | null): RequestLine {
  const fragment = target.indexOf('#');
  const end = fragment < 0 ? target.length : fragment;
  const mark = target.indexOf('?');
  if (mark < 0 || mark > end)
    return { method, full: null, path: target.slice(0, end), query: null, authority: null, version };
  return {
    method,
    full: null,
    path: target.slice(0, mark),
    query: target.slice(mark + 1, end) || null,
    authority: null,
    version,
  };
}
