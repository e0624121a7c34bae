import { describe, expect, it } from 'vitest';
import { isBelowDomain, isUnderDomain, normalizeHost } from './host.js';
import { isUnderPath, normalizePath } from './path.js';
import { parseRequestLine } from './request-line.js';

describe('the normal form of a host', () => {
  it.each([
    ['Shop.Example', 'shop.example'],
    ['shop.example.', 'shop.example'],
    ['shop.example:8080', 'shop.example'],
    ['user:secret@shop.example:80', 'shop.example'],
    ['bücher.example', 'xn--bcher-kva.example'],
    ['faß.example', 'xn--fa-hia.example'],
    ['_dmarc.shop.example', '_dmarc.shop.example'],
    ['[2001:DB8::1]:443', '2001:db8::1'],
    ['198.18.4.7:80', '198.18.4.7'],
    ['localhost', 'localhost'],
  ])('of %s is %s', (text, expected) => expect(normalizeHost(text)).toBe(expected));

  it.each([
    '',
    '.',
    'shop..example',
    '.shop.example',
    `${'a'.repeat(64)}.example`,
    `${'a.'.repeat(126)}ab`,
    'shop example',
    'shop/x',
    'shop.example:port',
    '_',
    '--',
    '_._',
  ])('of "%s" is none', (text) => expect(normalizeHost(text)).toBeNull());
});

describe('a domain', () => {
  it('covers itself and what is below, by whole labels', () => {
    expect([
      isUnderDomain('shop.example', 'shop.example'),
      isUnderDomain('a.b.shop.example', 'shop.example'),
      isUnderDomain('workshop.example', 'shop.example'),
    ]).toEqual([true, true, false]);
  });
  it('never covers a part of an address', () => expect(isBelowDomain('198.18.4.7', '4.7')).toBe(false));
});

describe('the normal form of a path', () => {
  it.each([
    ['', '/'],
    ['/a?x=1#y', '/a'],
    ['//a', '//a'],
    ['/%6Cogin', '/login'],
    ['/%2f%2F', '/%2F%2F'],
    ['/%256c', '/%256c'],
    ['/%zz%', '/%zz%'],
    ['/ä b', '/%C3%A4 b'],
    ['/a/./b/../c', '/a/c'],
    ['/a/%2e%2E/c', '/c'],
    ['/../../x', '/x'],
    ['/a/..', '/'],
    ['/a/b/.', '/a/b/'],
    ['/a/...', '/a/...'],
  ])('of "%s" is %s', (text, expected) => expect(normalizePath(text)).toBe(expected));

  it('is under a path by whole segments', () => {
    const under = (path: string, prefix: string): boolean => isUnderPath(path, prefix);
    expect([
      under('/login', '/login'),
      under('/login/x', '/login'),
      under('/login', '/login/'),
      under('/loginx', '/login'),
      under('//login', '/login'),
      under('/anything', '/'),
    ]).toEqual([true, true, true, false, false, true]);
  });
});

describe('a request line', () => {
  const nothing = { method: null, full: null, path: null, query: null, authority: null, version: null };
  it.each([
    ['GET /a?x=1 HTTP/1.1', { method: 'GET', path: '/a', query: 'x=1', version: '1.1' }],
    ['GET /a?x#y HTTP/2', { method: 'GET', path: '/a', query: 'x', version: '2' }],
    ['GET /a b HTTP/1.1', { method: 'GET', path: '/a b', version: '1.1' }],
    ['GET http://shop.example/a?x HTTP/1.1', { method: 'GET', full: 'http://shop.example/a?x', version: '1.1' }],
    [
      'CONNECT shop.example:443 HTTP/1.1',
      { method: 'CONNECT', path: '', authority: 'shop.example:443', version: '1.1' },
    ],
    ['OPTIONS * HTTP/1.1', { method: 'OPTIONS', path: '*', version: '1.1' }],
    ['GET /', { method: 'GET', path: '/' }],
    ['\u0016\u0003\u0001 x', {}],
    ['', {}],
    ['-', {}],
    ['GET', {}],
    ['GET shop HTTP/1.1', {}],
  ])('"%s" is read', (text, expected) => expect(parseRequestLine(text)).toEqual({ ...nothing, ...expected }));
});
