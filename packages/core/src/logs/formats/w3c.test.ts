import { describe, expect, it } from 'vitest';
import type { ReadLine } from '../lines/line-parser.js';
import { LogReader } from '../reader.js';

function read(text: string, host?: string): ReadLine[] {
  const reader = new LogReader('w3c', { host });
  return [...reader.push(new TextEncoder().encode(text)), ...reader.end()];
}

const attributesOf = (line: ReadLine): unknown =>
  line.kind === 'record'
    ? { at: new Date(line.record.atUnixMs).toISOString(), ...line.record.attributes }
    : line.rejected.reason;

describe('a W3C extended log', () => {
  it('gives the attributes of its columns; what has no column is unknown, what is "-" is missing', () => {
    const log = [
      '#Version: 1.0',
      '#Fields: date time s-ip cs-method cs-uri-stem cs-uri-query s-port cs-username c-ip cs(User-Agent) cs(Referer) cs-host sc-status sc-bytes time-taken',
      '2026-10-12 10:00:00 192.0.2.1 GET /sale a=1&b 443 - 198.18.4.7 Mozilla/5.0+(X11;+Linux) - shop.example 200 512 31',
      '2026-10-12 10:00:01.250 192.0.2.1 - - - - ida 2001:db8::7 - https://www.example/ - - - -',
    ].join('\n');
    expect(read(log).map(attributesOf)).toEqual([
      {
        'at': '2026-10-12T10:00:00.000Z',
        'destination.address': '192.0.2.1',
        'http.request.method': 'GET',
        'url.path': '/sale',
        'url.query': 'a=1&b',
        'server.port': 443,
        'user.name': null,
        'client.address': '198.18.4.7',
        'user_agent.original': 'Mozilla/5.0 (X11; Linux)',
        'http.request.header.referer': null,
        'http.request.header.host': ['shop.example'],
        'http.response.status_code': 200,
        'http.response.size': 512,
        'w3c.time-taken': '31',
      },
      {
        'at': '2026-10-12T10:00:01.250Z',
        'destination.address': '192.0.2.1',
        'http.request.method': null,
        'url.path': null,
        'url.query': null,
        'server.port': null,
        'user.name': 'ida',
        'client.address': '2001:db8::7',
        'user_agent.original': null,
        'http.request.header.referer': ['https://www.example/'],
        'http.request.header.host': null,
        'http.response.status_code': null,
        'http.response.size': 0,
        'w3c.time-taken': null,
      },
    ]);
  });

  it('takes the day from its directive where no column has it, and other columns from a later directive', () => {
    const log = [
      '#Date: 2026-10-12 00:00:00',
      '#Fields: time c-ip cs-uri',
      '23:59:59 198.18.4.7 http://shop.example/a?b=1',
      '#Date: 2026-10-13 00:00:00',
      '00:00:01 198.18.4.7 /a?b=1#c',
      '#Fields: c-ip\ttime\tcs-version',
      '198.18.4.8\t00:00:02\tHTTP/1.1',
    ].join('\r\n');
    expect(read(log).map(attributesOf)).toEqual([
      { 'at': '2026-10-12T23:59:59.000Z', 'client.address': '198.18.4.7', 'url.full': 'http://shop.example/a?b=1' },
      { 'at': '2026-10-13T00:00:01.000Z', 'client.address': '198.18.4.7', 'url.path': '/a', 'url.query': 'b=1' },
      { 'at': '2026-10-13T00:00:02.000Z', 'client.address': '198.18.4.8', 'network.protocol.version': '1.1' },
    ]);
  });

  it('has quoted values with spaces and quotes inside, and is given a host where it names none', () => {
    const log = '#Fields: date time cs(User-Agent) cs(Cookie)\n2026-10-12 10:00:00 "a ""b"" + c" k=v;+l=w\n';
    expect(read(log, 'shop.example').map(attributesOf)).toEqual([
      {
        'at': '2026-10-12T10:00:00.000Z',
        'user_agent.original': 'a "b" + c',
        'http.request.header.cookie': ['k=v; l=w'],
        'http.request.header.host': ['shop.example'],
      },
    ]);
  });

  it('rejects lines without columns, with others, or without a time, by their number', () => {
    const lines = read(
      'x y\n#Fields: date time c-ip\n2026-10-12 10:00:00\n2026-10-12 - 198.18.4.7\n2026-13-12 10:00:00 198.18.4.7\n# a comment\n2026-10-12 10:00:00 198.18.4.7\n',
    );
    expect(
      lines.map((line) =>
        line.kind === 'rejected' ? `${line.rejected.line} ${line.rejected.reason}` : line.record.line,
      ),
    ).toEqual(['1 not-the-format', '3 not-the-format', '4 no-time', '5 bad-time', 7]);
  });
});
