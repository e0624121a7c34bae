const NEEDS_WORK = /[%\u0080-\u{10ffff}]|\/\.|^(?!\/)/u;
const encoder = new TextEncoder();

/**
 * The normal form of a path, from a request target's text after any authority: up to `?` or `#`; empty is `/`;
 * non-ASCII bytes percent-encoded; escapes of unreserved characters (RFC 3986, 2.3) decoded once and other escapes
 * upper-cased, broken ones kept; then dot segments removed (RFC 3986, 5.2.4).
 */
export function normalizePath(target: string): string {
  const end = target.search(/[?#]/);
  const path = end < 0 ? target : target.slice(0, end);
  if (path === '') return '/';
  if (!NEEDS_WORK.test(path)) return path;
  return removeDotSegments(normalizeEscapes(encodeNonAscii(path)));
}

/** The normal form of a part of a path, such as a pattern or a prefix: escapes as in a path, dots as they are. */
export function normalizePathPart(text: string): string {
  return normalizeEscapes(encodeNonAscii(text));
}

/** How a server reads paths beyond the normal form. */
export interface PathReading {
  readonly 'fold-case'?: boolean;
  readonly 'merge-slashes'?: boolean;
  readonly 'strip-parameters'?: boolean;
}

/**
 * A path in normal form as such a server reads it: parameters (`;` to the end of a segment) stripped, dot segments that
 * this uncovers removed, runs of slashes merged, letters outside escapes in lower case.
 */
export function readPath(path: string, reading: PathReading): string {
  const stripped = reading['strip-parameters'] ? removeDotSegments(path.replace(/;[^/]*/g, '')) : path;
  return readPathPart(stripped, reading);
}

/** The same of a part of a path, whose parameters cannot be separated from text. */
export function readPathPart(text: string, reading: PathReading): string {
  const merged = reading['merge-slashes'] ? text.replace(/\/{2,}/g, '/') : text;
  return reading['fold-case']
    ? merged.replace(/%..|[A-Z]/g, (name) => (name.length > 1 ? name : name.toLowerCase()))
    : merged;
}

function encodeNonAscii(path: string): string {
  return path.replace(/[\u0080-\u{10ffff}]+/gu, (run) =>
    Array.from(encoder.encode(run), (byte) => escapeByte(byte)).join(''),
  );
}

function escapeByte(byte: number): string {
  return `%${byte.toString(16).toUpperCase().padStart(2, '0')}`;
}

function normalizeEscapes(path: string): string {
  return path.replace(/%([0-9a-fA-F]{2})/g, (_, digits: string) => {
    const character = String.fromCharCode(Number.parseInt(digits, 16));
    return /[A-Za-z0-9._~-]/.test(character) ? character : `%${digits.toUpperCase()}`;
  });
}

function removeDotSegments(path: string): string {
  const output: string[] = [];
  const segments = path.split('/');
  segments.forEach((segment, index) => {
    const isLast = index === segments.length - 1;
    if (segment === '..') {
      if (output.length > 1) output.pop();
      if (isLast) output.push('');
    } else if (segment === '.') {
      if (isLast) output.push('');
    } else {
      output.push(segment);
    }
  });
  const joined = output.join('/');
  return joined === '' ? '/' : joined;
}

/** Whether `path` is `prefix` or continues it by whole segments. A final `/` of the prefix is ignored; `/` is every path. */
export function isUnderPath(path: string, prefix: string): boolean {
  const base = prefix.endsWith('/') ? prefix.slice(0, -1) : prefix;
  return path.startsWith(base) && (path.length === base.length || path.charCodeAt(base.length) === 0x2f);
}
