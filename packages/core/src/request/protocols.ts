/** Protocols recognised from the first bytes that a client sends, from their open specifications. */

export const PROTOCOLS = ['dns', 'tls', 'http', 'http2', 'ssh'] as const;
export type Protocol = (typeof PROTOCOLS)[number];

/** Whether the bytes begin like the protocol. */
export function isProtocol(protocol: Protocol, payload: Uint8Array, transport: string | null | undefined): boolean {
  switch (protocol) {
    case 'dns':
      return isDns(payload, transport);
    case 'tls':
      return parseClientHello(payload) !== undefined;
    case 'http':
      return isHttp1(payload) || isHttp2(payload);
    case 'http2':
      return isHttp2(payload);
    case 'ssh':
      return /^SSH-(2\.0|1\.99)-/.test(latin1(payload, 9));
  }
}

const HTTP_METHODS = 'GET|HEAD|POST|PUT|DELETE|CONNECT|OPTIONS|TRACE|PATCH';
/** A request line of RFC 9112, 3; the target may run beyond the bytes that are kept. */
const REQUEST_LINE = new RegExp(`^(?:${HTTP_METHODS}) [\\x21-\\x7e]+(?: HTTP/1\\.[01]\\r?\\n|$)`);
const MAX_LINE_BYTES = 2048;

function isHttp1(payload: Uint8Array): boolean {
  return REQUEST_LINE.test(latin1(payload, MAX_LINE_BYTES));
}

/** The connection preface of RFC 9113, 3.4. */
function isHttp2(payload: Uint8Array): boolean {
  return latin1(payload, 24) === 'PRI * HTTP/2.0\r\n\r\nSM\r\n\r\n';
}

/** A DNS message (RFC 1035, 4.1), over TCP with its length in front (4.2.2). */
function isDns(payload: Uint8Array, transport: string | null | undefined): boolean {
  if (transport !== 'tcp' && isDnsMessage(payload)) return true;
  return transport !== 'udp' && payload.length > 2 && isDnsMessage(payload.subarray(2));
}

const DNS_HEADER_BYTES = 12;
const DNS_CLASSES = new Set([1, 3, 4, 254, 255]);

function isDnsMessage(bytes: Uint8Array): boolean {
  if (bytes.length < DNS_HEADER_BYTES + 5) return false;
  const word = (at: number): number => (bytes[at]! << 8) | bytes[at + 1]!;
  const [flags, numQuestions, numAnswers, numAuthorities, numAdditional] = [2, 4, 6, 8, 10].map(word);
  const opcode = (flags! >> 11) & 15;
  const isQuery = flags! >> 15 === 0;
  if (opcode > 6 || (flags! & 0x40) !== 0 || numQuestions! < 1 || numQuestions! > 16) return false;
  if (isQuery && opcode === 0 && (numAnswers! > 0 || numAuthorities! > 0)) return false;
  if (numAdditional! > 32) return false;
  let at = DNS_HEADER_BYTES;
  let length = 0;
  for (; at < bytes.length && bytes[at] !== 0; at += bytes[at]! + 1) {
    if (bytes[at]! > 63) return false;
    length += bytes[at]! + 1;
    if (length > 255) return false;
  }
  return at + 5 <= bytes.length && DNS_CLASSES.has(word(at + 3) & 0x7fff);
}

/** What a TLS client hello (RFC 8446, 4.1.2) says. */
export interface ClientHello {
  /** The server name of RFC 6066, 3, where the bytes that are kept hold it. */
  readonly serverName?: string;
}

const HANDSHAKE = 22;
const CLIENT_HELLO = 1;
const SERVER_NAME = 0;

/** @returns undefined where the bytes are no client hello */
export function parseClientHello(payload: Uint8Array): ClientHello | undefined {
  if (payload.length < 6 || payload[0] !== HANDSHAKE || payload[1] !== 3 || payload[2]! > 4) return undefined;
  if (payload[5] !== CLIENT_HELLO) return undefined;
  const serverName = findServerName(payload);
  return serverName === undefined ? {} : { serverName };
}

function findServerName(bytes: Uint8Array): string | undefined {
  const word = (at: number): number => (at + 1 < bytes.length ? (bytes[at]! << 8) | bytes[at + 1]! : Number.NaN);
  let at = 5 + 4 + 2 + 32;
  at += 1 + (bytes[at] ?? Number.NaN);
  at += 2 + word(at);
  at += 1 + (bytes[at] ?? Number.NaN);
  const end = at + 2 + word(at);
  at += 2;
  while (at + 4 <= Math.min(end, bytes.length)) {
    const [type, length] = [word(at), word(at + 2)];
    if (type === SERVER_NAME) {
      const nameBytes = word(at + 7);
      const start = at + 9;
      return bytes[at + 6] === 0 && start + nameBytes <= bytes.length
        ? latin1(bytes.subarray(start), nameBytes)
        : undefined;
    }
    at += 4 + length;
  }
  return undefined;
}

function latin1(bytes: Uint8Array, max: number): string {
  return Array.from(bytes.subarray(0, max), (byte) => String.fromCharCode(byte)).join('');
}
