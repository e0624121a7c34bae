import { joinWords } from '../language/sentence.js';
import { formatAddress } from '../request/address.js';
import { portNumberOf, serverOf, transportOf } from '../request/fields.js';
import type { Request } from '../request/request.js';
import type { Explanation } from './explain.js';

const PARTS = ['method', 'host', 'path'] as const;

/**
 * The target of a request, as far as it is known: `GET shop.example/sale`, encrypted `shop.example`, and where no host is
 * known the server, `udp/53 at 192.0.2.53`. Empty where none of it is.
 */
export function describeTarget(request: Request): string {
  const { method, host, path } = request;
  return joinTarget(method, host, path) || describeConnection(request);
}

/** The same as the gate of an explanation sees it, and in words what of it is not known: `method and path`. */
export function describeSeen({ connection, ...seen }: Explanation['request']): {
  readonly text: string;
  readonly unknown: string;
} {
  const [method, host, path] = PARTS.map((part) => {
    const shown = seen[part];
    return shown.kind === 'known' ? shown.text : null;
  });
  const unknown = PARTS.filter((part) => seen[part].kind === 'unknown');
  return { text: joinTarget(method, host, path) || connection, unknown: joinWords(unknown, 'and') };
}

type KnownText = string | null | undefined;

function joinTarget(method: KnownText, host: KnownText, path: KnownText): string {
  return [method, `${host ?? ''}${path ?? ''}`].filter(Boolean).join(' ');
}

/** Where packets go: `udp/53 at 192.0.2.53`; empty where nothing of it is known. */
export function describeConnection(request: Request): string {
  const server = serverOf(request);
  const way = [transportOf(request), portNumberOf(request)].filter((part) => part != null).join('/');
  return [way, server && formatAddress(server)].filter(Boolean).join(' at ');
}
