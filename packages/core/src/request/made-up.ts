import { formatAddress, parseAddress } from './address.js';
import { normalizeHost } from './host.js';
import type { LogRecord } from './record.js';

/** A request that somebody makes up to see what would happen to it. */
export interface MadeUpRequest {
  readonly client: string;
  readonly url: string;
  /** GET unless said. */
  readonly method?: string;
  readonly atUnixMs: number;
}

/** What is wrong with a part of a made-up request. */
export interface MadeUpProblem {
  readonly part: 'client' | 'url' | 'method';
  readonly message: string;
}

/** The record of a made-up request; it has no tags, no headers and no user. */
export function makeUpRecord({ client, url, method = 'GET', atUnixMs }: MadeUpRequest): {
  record?: LogRecord;
  problems: MadeUpProblem[];
} {
  const problems: MadeUpProblem[] = [];
  const address = parseAddress(client.trim());
  if (!address)
    problems.push({
      part: 'client',
      message: `Found ${JSON.stringify(client)}, expected an address such as 198.18.4.7 or 2001:db8::7.`,
    });
  const full = /^[a-z][a-z0-9+.-]*:\/\//i.test(url.trim()) ? url.trim() : `https://${url.trim()}`;
  const authority = /^https?:\/\/([^/?#]*)/i.exec(full)?.[1];
  if (authority === undefined || normalizeHost(authority) === null)
    problems.push({
      part: 'url',
      message: `Found ${JSON.stringify(url)}, expected a URL such as https://shop.example/login.`,
    });
  if (!/^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/.test(method))
    problems.push({ part: 'method', message: `Found ${JSON.stringify(method)}, expected a method such as GET.` });
  if (!address || problems.length > 0) return { problems };
  const text = formatAddress(address);
  return {
    record: {
      line: 1,
      atUnixMs,
      attributes: {
        'client.address': text,
        'network.peer.address': text,
        'url.full': full,
        'http.request.method': method,
        'user.name': null,
      },
    },
    problems,
  };
}
