import { describe, expect, it } from 'vitest';
import { isProtocol, parseClientHello, PROTOCOLS } from './protocols.js';

const bytes = (hex: string): Uint8Array =>
  Uint8Array.from(hex.match(/../g) ?? [], (digits) => Number.parseInt(digits, 16));
const text = (content: string): Uint8Array => new TextEncoder().encode(content);

const QUERY = '1234010000010000000000000473686f70076578616d706c650000010001';
const HELLO = `0303${'00'.repeat(32)}00000213010100${'0012'}0000000e000c0000${'09'}${'612e6578616d706c65'}`;

describe('first bytes', () => {
  it.each<[string, Uint8Array, string | null | undefined, string[]]>([
    ['a DNS query over UDP', bytes(QUERY), 'udp', ['dns']],
    ['a DNS query over TCP, its length in front', bytes(`001e${QUERY}`), 'tcp', ['dns']],
    ['a DNS query where the transport is not known', bytes(QUERY), undefined, ['dns']],
    ['a DNS query with a length in front over UDP', bytes(`001e${QUERY}`), 'udp', []],
    ['text on the port of DNS', text('hello, this is a tunnel and no name'), 'udp', []],
    ['a header without a question', bytes('123401000000000000000000'), 'udp', []],
    ['a question that is cut', bytes(QUERY.slice(0, 40)), 'udp', []],
    ['a reserved opcode', bytes(`12347f00${QUERY.slice(8)}`), 'udp', []],
    ['random bytes with high bits', bytes('f1e2d3c4b5a69788f9eadbccbdae9f80f1e2d3c4'), 'udp', []],
    ['a request of HTTP/1.1', text('GET /a?b HTTP/1.1\r\nHost: a.example\r\n\r\n'), 'tcp', ['http']],
    ['a request whose target is longer than what is kept', text(`GET /${'a'.repeat(2100)}`), 'tcp', ['http']],
    ['a line that begins like a request', text('GET lost in the woods\r\n'), 'tcp', []],
    ['a preface of HTTP/2', text('PRI * HTTP/2.0\r\n\r\nSM\r\n\r\n\0\0'), 'tcp', ['http', 'http2']],
    ['a banner of SSH', text('SSH-2.0-client_9.2\r\n'), 'tcp', ['ssh']],
    ['a banner of an SSH that is gone', text('SSH-1.5-client\r\n'), 'tcp', []],
    ['a client hello', bytes(`1603010200010001fc${HELLO}`), 'tcp', ['tls']],
    ['a TLS alert', bytes('15030300020100'), 'tcp', []],
    ['nothing', new Uint8Array(), 'tcp', []],
  ])('of %s are those of %j', (_, payload, transport, expected) =>
    expect(PROTOCOLS.filter((protocol) => isProtocol(protocol, payload, transport))).toEqual(expected),
  );

  it('of a client hello contain its server name, unless they are cut before it', () => {
    const whole = `16030100440100004${'0'}${HELLO}`;
    expect(parseClientHello(bytes(whole))).toEqual({ serverName: 'a.example' });
    expect(parseClientHello(bytes(whole.slice(0, 100)))).toEqual({});
  });
});
