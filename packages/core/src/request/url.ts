/** The parts of a full URL (RFC 3986, 3) as text, nothing normalised. */
export interface UrlParts {
  readonly scheme: string;
  /** With user information and port. */
  readonly authority: string;
  /** The host of the authority, without user information and port. */
  readonly host: string;
  /** Up to `?` or `#`. */
  readonly path: string;
  /** After `?` up to `#`; undefined where there is no `?`. */
  readonly query?: string;
}

/** @returns undefined where the text has no scheme and authority */
export function splitUrl(text: string): UrlParts | undefined {
  const match = /^([A-Za-z][A-Za-z0-9+.-]*):\/\/([^/?#]*)([^?#]*)(?:\?([^#]*))?/.exec(text);
  if (!match) return undefined;
  const [, scheme, authority, path, query] = match as unknown as [string, string, string, string, string | undefined];
  const host = authority.slice(authority.lastIndexOf('@') + 1).replace(/:\d*$/, '');
  return { scheme: scheme.toLowerCase(), authority, host, path, ...(query === undefined ? {} : { query }) };
}

/** The port written in an authority, or undefined. */
export function portOf(authority: string): number | undefined {
  const digits = /(?:^|[^:]|\]):(\d{1,5})$/.exec(authority)?.[1];
  return digits !== undefined && Number(digits) <= 65_535 ? Number(digits) : undefined;
}

const DEFAULT_PORTS: Record<string, number> = { http: 80, ws: 80, https: 443, wss: 443, ftp: 21 };

export function defaultPort(scheme: string): number | undefined {
  return Object.hasOwn(DEFAULT_PORTS, scheme) ? DEFAULT_PORTS[scheme] : undefined;
}
