/**
 * Fetches reference data over http and https. Where names lead is checked when the connection is made, not before, so that
 * a name cannot resolve elsewhere the second time.
 */
import { lookup, type LookupAddress } from 'node:dns';
import { request as requestHttp, type IncomingMessage, type RequestOptions } from 'node:http';
import { request as requestHttps } from 'node:https';
import { BlockList, isIP, type LookupFunction } from 'node:net';
import { ProblemError } from '../../http/problem.js';

export interface FetchLimits {
  readonly maxBytes: number;
  readonly timeoutMs: number;
  readonly maxRedirects: number;
  readonly mayFetchPrivate: boolean;
}

/** The validators of an answer, for conditional requests (RFC 9110, 13). */
export interface Validators {
  readonly etag?: string;
  readonly lastModified?: string;
}

export type Fetched =
  | { readonly kind: 'unchanged' }
  | { readonly kind: 'changed'; readonly pieces: AsyncIterable<Uint8Array>; readonly validators: Validators };

/**
 * Networks that are not globally reachable, by IANA's registries of special-purpose addresses (RFC 6890), multicast, and
 * forms of IPv6 that carry an IPv4 address.
 */
const NOT_PUBLIC: Readonly<Record<'ipv4' | 'ipv6', readonly string[]>> = {
  ipv4: [
    '0.0.0.0/8',
    '10.0.0.0/8',
    '100.64.0.0/10',
    '127.0.0.0/8',
    '169.254.0.0/16',
    '172.16.0.0/12',
    '192.0.0.0/24',
    '192.0.2.0/24',
    '192.88.99.0/24',
    '192.168.0.0/16',
    '198.18.0.0/15',
    '198.51.100.0/24',
    '203.0.113.0/24',
    '224.0.0.0/3',
  ],
  ipv6: [
    '::/96',
    '::ffff:0:0:0/96',
    '64:ff9b::/96',
    '64:ff9b:1::/48',
    '100::/64',
    '100:0:0:1::/64',
    '2001::/23',
    '2001:db8::/32',
    '2002::/16',
    '3fff::/20',
    '5f00::/16',
    'fc00::/7',
    'fe80::/10',
    'fec0::/10',
    'ff00::/8',
  ],
};
const blocked = new BlockList();
for (const family of ['ipv4', 'ipv6'] as const)
  for (const network of NOT_PUBLIC[family]) {
    const [address, bits] = network.split('/') as [string, string];
    blocked.addSubnet(address, Number(bits), family);
  }

/** Whether an address is of the public Internet. An IPv4-mapped IPv6 address is judged as IPv4. */
export function isPublicAddress(address: string): boolean {
  const mapped = /^::ffff:(\d+\.\d+\.\d+\.\d+)$/i.exec(address)?.[1];
  const family = isIP(mapped ?? address);
  return family !== 0 && !blocked.check(mapped ?? address, family === 4 ? 'ipv4' : 'ipv6');
}

/** @throws ProblemError `refresh-failed` with the reason; the pieces throw the same */
export async function fetchReference(url: string, known: Validators, limits: FetchLimits): Promise<Fetched> {
  const signal = AbortSignal.timeout(limits.timeoutMs);
  let target = parseUrl(url);
  for (let redirects = 0; ; redirects += 1) {
    const response = await send(target, known, limits, signal);
    const { statusCode = 0, headers } = response;
    const { location } = headers;
    if (statusCode >= 300 && statusCode < 400 && statusCode !== 304 && location !== undefined) {
      response.destroy();
      if (redirects === limits.maxRedirects)
        throw failed(url, `it was redirected more than ${limits.maxRedirects} times`);
      target = parseUrl(location, target);
      continue;
    }
    if (statusCode === 304) {
      response.destroy();
      return { kind: 'unchanged' };
    }
    const unusable = whyUnusable(response, limits);
    if (unusable) {
      response.destroy();
      throw failed(url, unusable);
    }
    const validators = {
      ...(headers.etag ? { etag: headers.etag } : {}),
      ...(headers['last-modified'] ? { lastModified: headers['last-modified'] } : {}),
    };
    return { kind: 'changed', pieces: readBody(response, url, limits, signal), validators };
  }
}

function whyUnusable({ statusCode, headers }: IncomingMessage, { maxBytes }: FetchLimits): string | undefined {
  if (statusCode !== 200) return `it answered ${statusCode}`;
  if (/^text\/html\b/i.test(headers['content-type'] ?? '')) return 'it answered a web page, not a file';
  if (Number(headers['content-length'] ?? 0) > maxBytes)
    return `it answered ${headers['content-length']} bytes, and ${maxBytes} are allowed`;
  return undefined;
}

function parseUrl(text: string, base?: URL): URL {
  if (!URL.canParse(text, base?.href)) throw failed(text, 'it is no URL');
  const url = new URL(text, base);
  if (url.protocol !== 'http:' && url.protocol !== 'https:') throw failed(text, 'only http and https are fetched');
  if (url.username || url.password)
    throw failed(`${url.origin}${url.pathname}`, 'a URL with a password is not fetched');
  return url;
}

function send(url: URL, known: Validators, limits: FetchLimits, signal: AbortSignal): Promise<IncomingMessage> {
  const host = url.hostname.replace(/^\[|\]$/g, '');
  if (isIP(host) !== 0 && !limits.mayFetchPrivate && !isPublicAddress(host))
    return Promise.reject(failed(url.href, `${host} is no public address`));
  const options: RequestOptions = {
    signal,
    lookup: limits.mayFetchPrivate ? undefined : lookupPublic,
    headers: {
      'user-agent': 'jadefence',
      'accept-encoding': 'identity',
      ...(known.etag ? { 'if-none-match': known.etag } : {}),
      ...(known.lastModified ? { 'if-modified-since': known.lastModified } : {}),
    },
  };
  return new Promise((resolve, reject) => {
    const request = (url.protocol === 'https:' ? requestHttps : requestHttp)(url, options, resolve);
    request.on('error', (error) => reject(failed(url.href, reasonOf(error, limits))));
    request.end();
  });
}

const lookupPublic: LookupFunction = (hostname, options, callback) => {
  lookup(hostname, { ...options, all: true }, (error, addresses: LookupAddress[]) => {
    if (error) return callback(error, '', 0);
    const refused = addresses.find(({ address }) => !isPublicAddress(address));
    if (refused) return callback(new Error(`${hostname} is ${refused.address}, which is no public address`), '', 0);
    if (options.all) return (callback as unknown as (error: null, all: LookupAddress[]) => void)(null, addresses);
    const [{ address, family }] = addresses as [LookupAddress];
    return callback(null, address, family);
  });
};

async function* readBody(
  response: IncomingMessage,
  url: string,
  limits: FetchLimits,
  signal: AbortSignal,
): AsyncGenerator<Uint8Array> {
  let numBytes = 0;
  const giveUp = (): unknown => response.destroy(signal.reason as Error);
  signal.addEventListener('abort', giveUp);
  try {
    for await (const piece of response as AsyncIterable<Buffer>) {
      numBytes += piece.length;
      if (numBytes > limits.maxBytes) throw failed(url, `it answered more than the ${limits.maxBytes} bytes allowed`);
      yield piece;
    }
  } catch (error) {
    throw error instanceof ProblemError ? error : failed(url, reasonOf(error as Error, limits));
  } finally {
    signal.removeEventListener('abort', giveUp);
  }
  if (!response.complete) throw failed(url, 'the answer was cut short');
}

function reasonOf(error: Error & { code?: string }, { timeoutMs }: FetchLimits): string {
  if (error.name === 'TimeoutError' || error.name === 'AbortError') return `it took longer than ${timeoutMs / 1000} s`;
  return error.code ?? error.message;
}

function failed(url: string, why: string): ProblemError {
  return new ProblemError('refresh-failed', `${url} cannot be used: ${why}.`);
}
