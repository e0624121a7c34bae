import { describe, expect, it } from 'vitest';
import { formatAddress } from './address.js';
import {
  agentOf,
  cookieOf,
  fromClientOf,
  groupsOf,
  headerOf,
  portNumberOf,
  queryOf,
  queryValuesOf,
  schemeOf,
  serverOf,
  sizeOf,
  toClientOf,
  transportOf,
  usersOf,
} from './fields.js';
import type { Attributes } from './record.js';
import { normalizeRequest, type Request } from './request.js';

/** HTTP unless specified: a record with a path. */
const request = (attributes: Attributes): Request =>
  normalizeRequest({ line: 1, atUnixMs: 0, attributes: { 'url.path': '/', ...attributes } });
const flow = (attributes: Attributes): Request => normalizeRequest({ line: 1, atUnixMs: 0, attributes });

describe('the query', () => {
  it.each<[Attributes, string | null | undefined]>([
    [{ 'url.query': 'a=1' }, 'a=1'],
    [{ 'url.query': '' }, null],
    [{ 'url.query': null }, null],
    [{}, undefined],
    [{ 'url.full': 'https://a.example/x?b=2#c' }, 'b=2'],
    [{ 'url.full': 'https://a.example/x?' }, null],
    [{ 'url.full': 'https://a.example/x' }, null],
  ])('of %j is %j', (attributes, expected) => expect(queryOf(request(attributes))).toBe(expected));

  it.each<[string, string, readonly string[] | null]>([
    ['a=1&b=2&a=3', 'a', ['1', '3']],
    ['a', 'a', ['']],
    ['a=', 'a', ['']],
    ['a=x%20y+z', 'a', ['x y z']],
    ['%61=1', 'a', ['1']],
    ['a=%C3%A5%FF', 'a', ['å\ufffd']],
    ['a=100%', 'a', ['100%']],
    ['a==b', 'a', ['=b']],
    ['A=1', 'a', null],
    ['b=1', 'a', null],
  ])('%s has under %s %j', (query, name, expected) =>
    expect(queryValuesOf(request({ 'url.query': query }), name)).toEqual(expected),
  );

  it('of which nothing is known has unknown parameters', () => {
    expect(queryValuesOf(request({}), 'a')).toBeUndefined();
    expect(queryValuesOf(request({ 'url.query': null }), 'a')).toBeNull();
    expect(queryValuesOf(flow({ 'network.transport': 'icmp' }), 'a')).toBeNull();
  });
});

describe('headers and cookies', () => {
  it.each<[Attributes, readonly string[] | null | undefined]>([
    [{ 'http.request.header.x-a': ['1', '2'] }, ['1', '2']],
    [{ 'http.request.header.x-a': '1' }, ['1']],
    [{ 'http.request.header.x-a': null }, null],
    [{ 'http.request.header.x-a': [] }, null],
    [{ 'http.request.header.x-a': [{ odd: 1 }] }, undefined],
    [{}, undefined],
    [{ 'jade.all-headers': true }, null],
    [{ 'jade.all-headers': false }, undefined],
  ])('of %j are %j', (attributes, expected) => expect(headerOf(request(attributes), 'x-a')).toEqual(expected));

  it.each<[readonly string[] | null, readonly string[] | null]>([
    [['a=1; c=2'], ['2']],
    [
      ['c=1', 'b=2; c=3'],
      ['1', '3'],
    ],
    [['c=a=b'], ['a=b']],
    [['C=1; cc=2'], null],
    [['c'], null],
    [null, null],
  ])('with the cookies %j have under c %j', (cookie, expected) =>
    expect(cookieOf(request({ 'http.request.header.cookie': cookie }), 'c')).toEqual(expected),
  );

  it('name the program in either of two ways', () => {
    expect(agentOf(request({ 'user_agent.original': 'Fox' }))).toBe('Fox');
    expect(agentOf(request({ 'http.request.header.user-agent': ['Hen'] }))).toBe('Hen');
    expect(agentOf(request({ 'user_agent.original': null, 'http.request.header.user-agent': ['Hen'] }))).toBeNull();
    expect(headerOf(request({ 'user_agent.original': 'Fox' }), 'user-agent')).toEqual(['Fox']);
  });
});

describe('where a request goes', () => {
  it.each<[Attributes, number | null | undefined]>([
    [{ 'url.full': 'https://a.example:8443/' }, 8443],
    [{ 'url.full': 'https://a.example/' }, 443],
    [{ 'url.full': 'http://[2001:db8::1]:81/' }, 81],
    [{ 'url.full': 'ws://a.example/', 'server.port': 9000 }, 9000],
    [{ 'http.request.header.host': ['a.example:8080'], 'server.port': 80 }, 8080],
    [{ 'http.request.header.host': ['a.example'], 'url.scheme': 'HTTPS' }, 443],
    [{ 'server.port': '53' }, 53],
    [{ 'server.port': 'domain' }, undefined],
    [{ 'server.port': null }, null],
    [{ 'http.request.header.host': ['a.example:99999'] }, undefined],
    [{}, undefined],
  ])('by %j is port %j', (attributes, expected) => expect(portNumberOf(request(attributes))).toBe(expected));

  it.each<[Attributes, string | null | undefined]>([
    [{ 'destination.address': '198.18.1.1', 'server.address': '198.18.2.2' }, '198.18.1.1'],
    [{ 'server.address': '::ffff:198.18.2.2' }, '198.18.2.2'],
    [{ 'server.address': 'a.example' }, undefined],
    [{ 'destination.address': null, 'server.address': 'a.example' }, null],
    [{ 'destination.address': 'a.example' }, undefined],
    [{}, undefined],
  ])('by %j is server %j', (attributes, expected) => {
    const server = serverOf(request(attributes));
    expect(server && formatAddress(server)).toBe(expected);
  });

  it('is determined by scheme and transport in any case', () => {
    expect(schemeOf(request({ 'url.scheme': 'HTTPS' }))).toBe('https');
    expect(schemeOf(request({ 'url.full': 'WSS://a.example/', 'url.scheme': 'http' }))).toBe('wss');
    expect(schemeOf(flow({ 'network.transport': 'icmp', 'url.scheme': 'http' }))).toBeNull();
    expect(transportOf(flow({ 'network.transport': 'UDP' }))).toBe('udp');
  });
});

describe('bytes and people', () => {
  it('are those of the whole message where the record has them, else of the body', () => {
    const sizes = { 'http.request.body.size': 10, 'http.response.body.size': 20 };
    const both = request({ ...sizes, 'http.request.size': 110, 'http.response.size': 120 });
    expect([sizeOf(both), fromClientOf(both), toClientOf(both)]).toEqual([10, 110, 120]);
    const body = request(sizes);
    expect([sizeOf(body), fromClientOf(body), toClientOf(body)]).toEqual([10, 10, 20]);
    expect(sizeOf(request({ 'http.request.body.size': -1 }))).toBeUndefined();
    expect(sizeOf(flow({ 'network.transport': 'icmp', 'http.request.body.size': 5 }))).toBeNull();
  });

  it('may be several, one or none', () => {
    expect(usersOf(request({ 'user.name': 'kari' }))).toEqual(['kari']);
    expect(usersOf(request({ 'user.name': '' }))).toBeNull();
    expect(groupsOf(request({ 'jade.groups': ['a', 'b'] }))).toEqual(['a', 'b']);
    expect(groupsOf(request({}))).toBeUndefined();
  });
});
