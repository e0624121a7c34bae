import { describe, expect, it } from 'vitest';
import { detectFormat } from './detect.js';
import type { LogFormat } from './lines/line-parser.js';
import type { ReaderOptions } from './lines/reader-options.js';
import { LogReader } from './reader.js';

/** The attributes of the one request of a log. */
function read(format: LogFormat, text: string, options: ReaderOptions): unknown {
  const reader = new LogReader(format, options);
  const lines = [...reader.push(Buffer.from(text)), ...reader.end()];
  expect(lines).toHaveLength(1);
  const [line] = lines;
  return line?.kind === 'record' ? line.record.attributes : line?.rejected.reason;
}

describe('NCSA lines with further columns', () => {
  const line = '198.18.1.1 - - [12/Oct/2026:12:00:00 +0200] "GET /a HTTP/1.1" 200 3 "-" "Agent 1"';
  const common = '198.18.1.1 - - [12/Oct/2026:12:00:00 +0200] "GET /a HTTP/1.1" 200 3';
  const rest = '{client} {} {user} [{time}] "{request}" {status} {bytes}';
  const whole = `${rest} "{referer}" "{agent}"`;

  it.each<[what: string, line: string, pattern: string, found: string]>([
    [
      'a quoted list of forwarded addresses',
      `${line} "203.0.113.7, 198.18.0.1"`,
      `${whole} "{http.request.header.x-forwarded-for}"`,
      'a list of forwarded addresses',
    ],
    ['columns that nothing is known of', `${line} 0.013 "-"`, `${whole} {} "{}"`, '2 without a name'],
    ['the host at the end', `${common} www.shop.example:443`, `${rest} {host}`, 'the host'],
    ['a number in front', `17 ${line}`, `{} ${whole}`, '1 without a name'],
    ['the host in front and a time at the end', `shop.example ${line} 12`, `{host} ${whole} {}`, 'the host, 1'],
    ['the host in quotation marks', `"shop.example:443" ${line}`, `"{host}" ${whole}`, 'the host'],
  ])('propose a pattern that reads them: %s', (_, text, pattern, name) => {
    const detection = detectFormat(Buffer.from(`${text}\n${text}\n`), true);
    expect(detection).toMatchObject({ pattern, hint: `Read it with --pattern '${pattern}'.` });
    expect(detection.summary).toContain(`with further columns (${name}`);
    expect(read('pattern', text, { pattern })).toMatchObject({ 'client.address': '198.18.1.1', 'url.path': '/a' });
  });

  it('have a host column where some requests name an address, and none where all do', () => {
    const end = (column: string): string => `${common} ${column}\n`;
    const patternOf = (...columns: string[]) => detectFormat(Buffer.from(columns.map(end).join('')), true).pattern;
    expect(patternOf('192.0.2.1:8080', 'shop.example', '-')).toBe(`${rest} {host}`);
    expect(patternOf('192.0.2.1:8080', '192.0.2.2:8080')).toBe(`${rest} {}`);
  });

  it('are those of most lines, whatever the first is', () => {
    const text = `broken\n${line} 0.1\n${line} 0.2\n${line} 0.3\n`;
    expect(detectFormat(Buffer.from(text), true).pattern).toBe(`${whole} {}`);
  });

  it('are not proposed where a format fits, or lines differ', () => {
    expect(detectFormat(Buffer.from(`${line}\n`), true).pattern).toBeUndefined();
    expect(detectFormat(Buffer.from(`shop.example:443 ${line}\n`), true).pattern).toBeUndefined();
    expect(detectFormat(Buffer.from(`${line} 1\n${line} 1 2\n${line} "3"\n`), true).pattern).toBeUndefined();
  });

  it('need a host where the column never names one, and take the one that is given', () => {
    const text = `_ ${line}`;
    expect(detectFormat(Buffer.from(text), true)).toMatchObject({ needsHost: true });
    expect(read('combined-with-host', text, { host: 'shop.example' })).toMatchObject({
      'http.request.header.host': ['shop.example'],
    });
    expect(read('combined-with-host', `a.example ${line}`, { host: 'shop.example' })).toMatchObject({
      'http.request.header.host': ['a.example'],
    });
  });
});
