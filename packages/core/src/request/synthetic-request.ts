import { requestFieldOf, type RequestField } from './fields.js';
import { invariant } from './invariant.js';
import { formatAddress, parseAddress } from './address.js';
import { normalizeHost } from './host.js';
import type { Attributes, LogRecord } from './record.js';
import { splitUrl } from './url.js';

/** A request that a user describes to see what would happen to it. */
export interface SyntheticRequest {
  readonly client: string;
  readonly url: string;
  /** GET unless specified. */
  readonly method?: string;
  readonly atUnixMs: number;
  /** Without a time. */
  readonly isTimeUnknown?: boolean;
  /** Further fields; what is not given is missing. */
  readonly fields?: readonly SyntheticField[];
}

/** A field as conditions name it, with one value; the same field can be repeated. */
export interface SyntheticField {
  readonly field: string;
  readonly parameter?: string;
  readonly value: string;
}

/** What is wrong with a part of a synthetic request. */
export interface SyntheticRequestProblem {
  readonly part: 'client' | 'url' | 'method';
  readonly message: string;
}

/** The record of a synthetic request. Its HTTP fields, user and transport (tcp) are known; its server and payload are not. */
export function buildSyntheticRecord(request: SyntheticRequest): {
  record?: LogRecord;
  problems: SyntheticRequestProblem[];
} {
  const { client, url, method = 'GET', atUnixMs, isTimeUnknown, fields = [] } = request;
  const problems: SyntheticRequestProblem[] = [];
  const address = parseAddress(client.trim());
  if (!address)
    problems.push({
      part: 'client',
      message: `Found ${JSON.stringify(client)}, expected an address such as 198.18.4.7 or 2001:db8::7.`,
    });
  const full = /^[a-z][a-z0-9+.-]*:\/\//i.test(url.trim()) ? url.trim() : `https://${url.trim()}`;
  const parts = splitUrl(full);
  if (parts === undefined || !/^(https?|wss?)$/.test(parts.scheme) || normalizeHost(parts.authority) === null)
    problems.push({
      part: 'url',
      message: `Found ${JSON.stringify(url)}, expected a URL such as https://shop.example/login.`,
    });
  if (!/^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/.test(method))
    problems.push({ part: 'method', message: `Found ${JSON.stringify(method)}, expected a method such as GET.` });
  if (!address || problems.length > 0) return { problems };
  const attributes = {
    ...attributesOf(formatAddress(address), full, parts!.authority, method),
    ...attributesOfFields(fields),
  };
  return { record: { line: 1, atUnixMs, ...(isTimeUnknown ? { isTimeUnknown } : {}), attributes }, problems };
}

function attributesOf(client: string, url: string, authority: string, method: string): Attributes {
  return {
    'client.address': client,
    'network.peer.address': client,
    'url.full': url,
    'network.transport': 'tcp',
    'http.request.method': method,
    'http.request.header.host': [authority],
    'http.request.body.size': null,
    'http.response.body.size': null,
    'user_agent.original': null,
    'user.name': null,
    'jade.groups': null,
    'jade.all-headers': true,
  };
}

function attributesOfFields(fields: readonly SyntheticField[]): Attributes {
  const settings: Record<string, string | number | string[]> = {};
  const add = (name: string, value: string): void => {
    settings[name] = [...((settings[name] as string[] | undefined) ?? []), value];
  };
  for (const { field, parameter, value } of fields) {
    if (field === 'header') add(`http.request.header.${parameter}`, value);
    else if (field === 'cookie') add('http.request.header.cookie', `${parameter}=${value}`);
    else {
      const { name, kind } = attributeOf(field);
      if (kind === 'list') add(name, value);
      else settings[name] = kind === 'number' ? Number(value) : value;
    }
  }
  return settings;
}

/** `method` depends on the gate, which may hide it, and is no request field. */
function attributeOf(field: string): NonNullable<RequestField['attribute']> {
  if (field === 'method') return { name: 'http.request.method', kind: 'text' };
  const attribute = requestFieldOf(field)?.attribute;
  invariant(attribute, `field ${field} cannot be set`);
  return attribute;
}

/** What is known of some traffic, to see what it is recognised as. What is not given is unknown. */
export interface SyntheticFlow {
  /** The name that is requested, as far as it can be seen of traffic that is no HTTP. */
  readonly host?: string;
  readonly url?: string;
  readonly port?: number;
  readonly transport?: 'tcp' | 'udp' | 'icmp';
  readonly agent?: string;
  /** The first bytes from the client, as hexadecimal digits. */
  readonly payload?: string;
}

export function buildSyntheticFlow(
  { host, url, port, transport, agent, payload }: SyntheticFlow,
  atUnixMs: number,
): LogRecord {
  const settings = {
    'tls.client.server_name': host,
    'url.full': url,
    'server.port': port,
    'network.transport': transport,
    'user_agent.original': agent,
    'jade.payload': payload === undefined ? undefined : hexToBase64(payload),
  };
  const attributes = Object.fromEntries(
    Object.entries(settings).filter(([, value]) => value !== undefined),
  ) as Attributes;
  return { line: 1, atUnixMs, attributes };
}

function hexToBase64(hex: string): string {
  const pairs = hex.replace(/\s+/g, '').match(/../g) ?? [];
  return btoa(pairs.map((pair) => String.fromCharCode(Number.parseInt(pair, 16))).join(''));
}
