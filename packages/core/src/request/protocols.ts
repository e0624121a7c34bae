/** Protocols recognised from the first bytes that a client sends, from their open specifications. */

export const PROTOCOLS = [
  'dns',
  'tls',
  'http',
  'http2',
  'quic',
  'ssh',
  'ntp',
  'smtp',
  'imap',
  'pop3',
  'ftp',
  'sip',
  'stun',
  'mqtt',
] as const;
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
    case 'quic':
      return transport !== 'tcp' && isQuic(payload);
    case 'ntp':
      return transport !== 'tcp' && isNtp(payload);
    case 'stun':
      return isStun(payload);
    case 'mqtt':
      return transport !== 'udp' && isMqtt(payload);
    default:
      return (
        (protocol === 'sip' || transport !== 'udp') &&
        isPrintable(payload[0]) &&
        FIRST_COMMAND[protocol].test(latin1(payload, MAX_LINE_BYTES))
      );
  }
}

function isPrintable(byte: number | undefined): boolean {
  return byte !== undefined && byte > 0x20 && byte < 0x7f;
}

/** The first command that a client sends. */
const FIRST_COMMAND = {
  /** RFC 5321, 4.1.1.1 */
  smtp: /^(?:EHLO|HELO) [\x21-\x7e]+ *\r?\n/i,
  /** RFC 9051, 6.1 and 6.2: commands before a client is authenticated, with a tag in front. */
  imap: /^[\x21-\x27,-.\x30-\x5b\x5d-\x7a|}~]{1,64} (?:CAPABILITY|STARTTLS|NOOP|LOGOUT|(?:LOGIN|AUTHENTICATE|ID) [^\r\n]+)\r?\n/i,
  /** RFC 1939, 4 and 7; RFC 2449; RFC 2595 */
  pop3: /^(?:CAPA|STLS|USER [\x21-\x7e]+|APOP [\x21-\x7e]+ [0-9a-f]{32}|AUTH(?: [A-Z0-9_-]{1,20}[^\r\n]*)?)\r?\n/i,
  /** RFC 959, 4.1.1; RFC 2228; RFC 2389; RFC 7151 */
  ftp: /^(?:USER [\x21-\x7e][^\r\n]*|AUTH (?:TLS|TLS-C|SSL|GSSAPI|KERBEROS_V4)|FEAT|OPTS [\x21-\x7e][^\r\n]*|HOST [\x21-\x7e]+)\r?\n/i,
  /** RFC 3261, 7.1 and 7.2 */
  sip: /^(?:[A-Z]{3,20} (?:sips?|tel):[\x21-\x7e]+ SIP\/2\.0\r?\n|SIP\/2\.0 [1-6]\d\d )/,
} as const;

const QUIC_VERSIONS: Readonly<Record<number, number>> = { 0x00000001: 0, 0x6b3343cf: 1 };
/** RFC 9000, 7.2: the first identifier of a connection has at least eight bytes, and none has over twenty. */
const QUIC_ID_BYTES = [8, 20] as const;

/** An Initial packet of QUIC version 1 (RFC 9000, 17.2.2) or 2 (RFC 9369, 3.2). */
function isQuic(bytes: Uint8Array): boolean {
  if (bytes.length < 7 || (bytes[0]! & 0xc0) !== 0xc0) return false;
  const type = QUIC_VERSIONS[wordAt(bytes, 1)];
  const idBytes = bytes[5]!;
  return type === ((bytes[0]! >> 4) & 3) && idBytes >= QUIC_ID_BYTES[0] && idBytes <= QUIC_ID_BYTES[1];
}

const NTP_BYTES = 48;

/** A message of a client or an active peer (RFC 5905, 7.3). */
function isNtp(bytes: Uint8Array): boolean {
  if (bytes.length < NTP_BYTES || bytes.length % 4 !== 0) return false;
  const version = (bytes[0]! >> 3) & 7;
  const mode = bytes[0]! & 7;
  return version >= 1 && version <= 4 && (mode === 3 || mode === 1) && bytes[1]! <= 16;
}

const STUN_HEADER_BYTES = 20;
const STUN_COOKIE = 0x2112a442;

/** A message with the magic cookie (RFC 8489, 5). */
function isStun(bytes: Uint8Array): boolean {
  if (bytes.length < STUN_HEADER_BYTES || (bytes[0]! & 0xc0) !== 0 || (bytes[3]! & 3) !== 0) return false;
  return wordAt(bytes, 4) === STUN_COOKIE;
}

/** A CONNECT packet of MQTT 3.1, 3.1.1 or 5 (OASIS, 3.1). */
function isMqtt(bytes: Uint8Array): boolean {
  if (bytes[0] !== 0x10) return false;
  // The remaining length: seven bits a byte, at most four bytes.
  let at = 1;
  while (at < 4 && bytes[at]! >= 0x80) at += 1;
  return /^(?:\0\x04MQTT[\x04\x05]|\0\x06MQIsdp\x03)/.test(latin1(bytes.subarray(at + 1), 9));
}

/** Four bytes as an unsigned number, the most significant first. */
function wordAt(bytes: Uint8Array, at: number): number {
  return ((bytes[at]! << 24) | (bytes[at + 1]! << 16) | (bytes[at + 2]! << 8) | bytes[at + 3]!) >>> 0;
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
  if (transport === 'udp' || payload.length <= 2) return false;
  const length = (payload[0]! << 8) | payload[1]!;
  return isDnsMessage(payload.subarray(2, 2 + length));
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

/** What a TLS client hello (RFC 8446, 4.1.2) contains. */
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
