import { describe, expect, it } from 'vitest';
import { readPasted } from './pasted-request.js';

const header = (name: string, value: string) => ({ name, value });

describe('a pasted request', () => {
  it('is a URL', () =>
    expect(readPasted(' shop.example/login?a=b ')).toEqual({ url: 'shop.example/login?a=b', headers: [] }));

  it.each([
    [`curl https://shop.example/`, { url: 'https://shop.example/', headers: [] }],
    [
      `curl -X PUT "https://shop.example/a b" -H 'X-Key: it' --compressed`,
      { url: 'https://shop.example/a b', method: 'PUT', headers: [header('X-Key', 'it')] },
    ],
    [
      `curl 'https://shop.example/login' \\\n  -H 'accept: */*' \\\n  -A "agent \\"7\\"" -b a=1 --data-raw $'a=\\'b\\'\\nc'`,
      {
        url: 'https://shop.example/login',
        method: 'POST',
        headers: [header('accept', '*/*'), header('user-agent', 'agent "7"'), header('cookie', 'a=1')],
      },
    ],
    [`curl -o out.txt -I --url=https://shop.example/`, { url: 'https://shop.example/', method: 'HEAD', headers: [] }],
    [`curl -XDELETE -m 5 https://shop.example/x`, { url: 'https://shop.example/x', method: 'DELETE', headers: [] }],
  ])('is the command line %s', (text, expected) => expect(readPasted(text)).toEqual(expected));

  it('is an entry of a HAR file, or the first of the file', () => {
    const request = { method: 'POST', url: 'https://shop.example/', headers: [header(':path', '/'), header('a', 'b')] };
    const expected = { method: 'POST', url: 'https://shop.example/', headers: [header('a', 'b')] };
    for (const har of [request, { request }, { log: { entries: [{ request }] } }])
      expect(readPasted(JSON.stringify(har))).toEqual(expected);
  });

  it.each([
    ['two words', /^Expected a URL, a command line/],
    ['{"log":', /^The HAR entry is not JSON/],
    ['{"method":"GET"}', /request\.url/],
    ['curl -I', /names no URL/],
  ])('is refused where it is %s', (text, message) => expect(() => readPasted(text)).toThrow(message));
});
