/** Where redirections lead. */
import type { Attributes, LogRecord } from '../request/record.js';

/** What the client of a request sends when it follows a redirection. */
export function targetRequest({ line, atUnixMs, attributes }: LogRecord, url: string): LogRecord {
  const kept = Object.entries(attributes).filter(([name]) => !REPLACED.some((prefix) => name.startsWith(prefix)));
  return {
    line,
    atUnixMs,
    attributes: { ...Object.fromEntries(kept), 'url.full': url, 'http.request.method': 'GET' } as Attributes,
  };
}

/** Attributes of where a request went, and of what was requested there. */
const REPLACED = ['url.', 'server.', 'destination.', 'tls.', 'http.request.', 'http.response.', 'jade.payload'];
