import { describe, expect, it } from 'vitest';
import { siteOf } from './view.js';
import { normalizeHost } from '../request/host.js';

/**
 * Test vectors of the public suffix list (its test_psl.txt, in the public domain): a name and its registrable domain.
 * Those without one are suffixes themselves. Names of one label are left out: every one is a suffix.
 */
const VECTORS: readonly (readonly [string, string | null])[] = [
  ['biz', null],
  ['domain.biz', 'domain.biz'],
  ['b.domain.biz', 'domain.biz'],
  ['a.b.domain.biz', 'domain.biz'],
  ['WwW.eXaMpLe.COM', 'example.com'],
  ['example.com', 'example.com'],
  ['b.example.com', 'example.com'],
  ['a.b.example.com', 'example.com'],
  ['uk.com', null],
  ['example.uk.com', 'example.uk.com'],
  ['b.example.uk.com', 'example.uk.com'],
  ['a.b.example.uk.com', 'example.uk.com'],
  ['test.ac', 'test.ac'],
  ['example.example', 'example.example'],
  ['b.example.example', 'example.example'],
  ['a.b.example.example', 'example.example'],
  ['c.mm', null],
  ['b.c.mm', 'b.c.mm'],
  ['a.b.c.mm', 'b.c.mm'],
  ['test.jp', 'test.jp'],
  ['www.test.jp', 'test.jp'],
  ['ac.jp', null],
  ['test.ac.jp', 'test.ac.jp'],
  ['www.test.ac.jp', 'test.ac.jp'],
  ['kyoto.jp', null],
  ['test.kyoto.jp', 'test.kyoto.jp'],
  ['ide.kyoto.jp', null],
  ['b.ide.kyoto.jp', 'b.ide.kyoto.jp'],
  ['a.b.ide.kyoto.jp', 'b.ide.kyoto.jp'],
  ['c.kobe.jp', null],
  ['b.c.kobe.jp', 'b.c.kobe.jp'],
  ['a.b.c.kobe.jp', 'b.c.kobe.jp'],
  ['city.kobe.jp', 'city.kobe.jp'],
  ['www.city.kobe.jp', 'city.kobe.jp'],
  ['c.ck', null],
  ['b.c.ck', 'b.c.ck'],
  ['a.b.c.ck', 'b.c.ck'],
  ['www.ck', 'www.ck'],
  ['www.www.ck', 'www.ck'],
  ['test.us', 'test.us'],
  ['www.test.us', 'test.us'],
  ['ak.us', null],
  ['test.ak.us', 'test.ak.us'],
  ['www.test.ak.us', 'test.ak.us'],
  ['k12.ak.us', null],
  ['test.k12.ak.us', 'test.k12.ak.us'],
  ['www.test.k12.ak.us', 'test.k12.ak.us'],
  ['食狮.com.cn', '食狮.com.cn'],
  ['食狮.公司.cn', '食狮.公司.cn'],
  ['www.食狮.公司.cn', '食狮.公司.cn'],
  ['shishi.公司.cn', 'shishi.公司.cn'],
  ['公司.cn', null],
  ['食狮.中国', '食狮.中国'],
  ['www.食狮.中国', '食狮.中国'],
  ['shishi.中国', 'shishi.中国'],
  ['中国', null],
];

describe('the site of a host', () => {
  it.each(VECTORS)('%s is %s', (name, expected) => {
    expect(siteOf(normalizeHost(name))).toBe(expected && normalizeHost(expected));
  });

  it('is none for addresses, and for what has none', () =>
    expect(['198.18.4.7', '2001:db8::7', null].map((host) => siteOf(host))).toEqual([null, null, null]));
});
