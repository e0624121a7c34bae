import { createHmac } from 'node:crypto';
import { describe, expect, test } from 'vitest';
import type { Attributes } from '../request/record.js';
import { checkMask, Masker, MaskError, parseMasks, printMask } from './index.js';

const digest = (value: string): string => createHmac('sha256', 'key').update(value).digest('hex');
const maskerFor = (masks: string): Masker => new Masker(parseMasks(masks), digest);

const RECORD: Attributes = {
  'client.address': '198.51.100.7',
  'network.peer.address': '203.0.113.9',
  'url.full': 'https://shop.example/users/ada?key=s3cret&ip=198.51.100.7&page=2',
  'http.request.method': 'GET',
  'http.request.header.cookie': ['theme=dark; sid=s3cret'],
  'http.request.header.x-forwarded-for': ['[::ffff:198.51.100.7]:443, 203.0.113.9'],
  'http.request.header.x-account': ['A-77'],
  'user_agent.original': 'probe of ada (A-77)',
  'user.name': 'ada',
  'jade.payload': 'R0VUIC8=',
  'jade.client': '198.51.100.7',
};

describe('masks', () => {
  test('are read with quoted names that may hold commas, and printed the same', () => {
    const text = 'client=shorten,header "X-Account"=hide,query "a,b"=pseudonym';
    expect(parseMasks(text).map(printMask)).toEqual([
      'client=shorten',
      'header "x-account"=hide',
      'query "a,b"=pseudonym',
    ]);
  });

  test.each([
    ['clint=hide', 'Unknown field "clint" in a mask.'],
    ['client=blur', 'Unknown method "blur" in a mask.'],
    ['user=shorten', 'The method "shorten" does not fit user.'],
    ['header=hide', 'The mask of header lacks a name.'],
    ['user "x"=hide', 'The mask of user has a name, "x".'],
    ['client', 'The mask "client" is not a field, "=" and a method.'],
    ['client=hide,client=shorten', 'There are two masks of client.'],
  ])('refuse %s', (text, message) => {
    expect(() => parseMasks(text)).toThrow(message);
    expect(() => checkMask({ field: 'x', method: 'hide' })).toThrow(MaskError);
  });
});

describe('a masked record', () => {
  test('shortens an address in its field and wherever else it is written', () => {
    const masked = maskerFor('client=shorten').attributes(RECORD);
    expect(masked).toMatchObject({
      'client.address': '198.51.100.0/24',
      'jade.client': '198.51.100.0/24',
      'network.peer.address': '203.0.113.9',
      'url.full': 'https://shop.example/users/ada?key=s3cret&ip=198.51.100.0/24&page=2',
      'http.request.header.x-forwarded-for': ['[198.51.100.0/24]:443, 203.0.113.0/24'],
    });
    expect(JSON.stringify(masked)).not.toContain('198.51.100.7');
    expect(Object.keys(masked)).toEqual(Object.keys(RECORD));
  });

  test('hides users, headers, cookies and parameters in URLs, cookies and agents, too', () => {
    const masked = maskerFor('user=hide,header "x-account"=hide,cookie "sid"=hide,query "key"=hide').attributes(RECORD);
    expect(masked).toMatchObject({
      'url.full': 'https://shop.example/users/***?key=***&ip=198.51.100.7&page=2',
      'http.request.header.cookie': ['theme=dark; sid=***'],
      'http.request.header.x-account': ['***'],
      'user_agent.original': 'probe of *** (***)',
      'user.name': '***',
      'jade.payload': '***',
    });
  });

  test('hides a path in its own attribute and in the URL, but not the host', () => {
    const masked = maskerFor('path=hide').attributes({ ...RECORD, 'url.path': '/users/ada' });
    expect(masked).toMatchObject({
      'url.full': 'https://shop.example/***?key=s3cret&ip=198.51.100.7&page=2',
      'url.path': '/***',
    });
  });

  test('has the same pseudonym for the same value, an address for an address', () => {
    const masker = maskerFor('client=pseudonym,peer=pseudonym,user=pseudonym');
    const [first, again, other] = ['198.51.100.7', '::ffff:198.51.100.7', '198.51.100.8'].map(
      (client) => masker.attributes({ 'client.address': client })['client.address'],
    );
    expect(first).toMatch(/^100::[0-9a-f:]+$/);
    expect(again).toBe(first);
    expect(other).not.toBe(first);
    expect(masker.text('user', undefined, 'ada')).toMatch(/^masked-[0-9a-f]{12}$/);
    expect(new Masker(masker.masks, (value) => digest(`other ${value}`)).text('user', undefined, 'ada')).not.toBe(
      masker.text('user', undefined, 'ada'),
    );
  });

  test('leaves text alone that only contains letters of a masked value', () => {
    const masked = maskerFor('user=hide').attributes({
      'user.name': 'ed',
      'url.path': '/edition/ed/1',
      'server.address': 'red.example',
    });
    expect(masked).toEqual({ 'user.name': '***', 'url.path': '/edition/***/1', 'server.address': 'red.example' });
  });
});

test('a comparison hides where it could find out a masked value', () => {
  const masker = maskerFor('client=hide,path=hide,query "key"=hide,cookie "sid"=hide,header "user-agent"=hide');
  const hidden: [string, string?][] = [
    ['client'],
    ['path'],
    ['url'],
    ['query'],
    ['query', 'key'],
    ['cookie', 'sid'],
    ['agent'],
    ['header', 'cookie'],
    ['header', 'x-forwarded-for'],
  ];
  for (const [field, parameter] of hidden)
    expect([field, parameter, masker.hides(field, parameter)]).toEqual([field, parameter, true]);
  for (const [field, parameter] of [
    ['country'],
    ['host'],
    ['query', 'page'],
    ['cookie', 'theme'],
    ['header', 'accept'],
  ] as [string, string?][])
    expect([field, masker.hides(field, parameter)]).toEqual([field, false]);
});
