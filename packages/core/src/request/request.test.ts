import { describe, expect, it } from 'vitest';
import { formatAddress, type Address } from './address.js';
import type { Field } from './field.js';
import type { Attributes } from './record.js';
import { normalizeRequest } from './request.js';

const text = (address: Field<Address>): Field<string> => address && formatAddress(address);

/** `client peer host path method`, with null for none and undefined for unknown. */
function fieldsOf(attributes: Attributes): Field<string>[] {
  const { client, peer, host, path, method } = normalizeRequest({ line: 1, atUnixMs: 0, attributes });
  return [text(client), text(peer), host, path, method];
}

describe('a request of a record', () => {
  it('takes the host from the full URL, then the header, then the server, then the TLS name', () => {
    const attributes = {
      'url.full': 'https://A.example:8443/x?y',
      'http.request.header.host': ['b.example'],
      'server.address': 'c.example',
      'tls.client.server_name': 'd.example',
    };
    const hosts: Field<string>[] = [];
    for (const name of ['url.full', 'http.request.header.host', 'server.address']) {
      hosts.push(fieldsOf({ 'url.path': '/', ...attributes })[2]);
      delete (attributes as Record<string, unknown>)[name];
    }
    hosts.push(fieldsOf({ 'url.path': '/', ...attributes })[2]);
    expect(hosts).toEqual(['a.example', 'b.example', 'c.example', 'd.example']);
  });

  it('does not take an address of the server for a host', () => {
    expect(
      fieldsOf({ 'url.path': '/', 'server.address': '198.51.100.7', 'tls.client.server_name': 'd.example' })[2],
    ).toBe('d.example');
    expect(fieldsOf({ 'url.path': '/', 'server.address': '198.51.100.7' })[2]).toBeUndefined();
    expect(fieldsOf({ 'url.path': '/', 'server.address': null })[2]).toBeUndefined();
  });

  it('has no host where the host is malformed, and does not look further', () => {
    expect(
      fieldsOf({ 'url.path': '/', 'http.request.header.host': ['a..example'], 'server.address': 'c.example' })[2],
    ).toBeNull();
  });

  it('takes the client from client.address, else from who connected', () => {
    expect(fieldsOf({ 'client.address': '198.18.1.1', 'network.peer.address': '203.0.113.1' }).slice(0, 2)).toEqual([
      '198.18.1.1',
      '203.0.113.1',
    ]);
    expect(fieldsOf({ 'network.peer.address': '203.0.113.1' }).slice(0, 2)).toEqual(['203.0.113.1', '203.0.113.1']);
    expect(fieldsOf({ 'client.address': '198.18.1.1' }).slice(0, 2)).toEqual(['198.18.1.1', '198.18.1.1']);
    expect(fieldsOf({ 'client.address': 'not-an-address' })[0]).toBeUndefined();
    expect(fieldsOf({ 'client.address': null })[0]).toBeNull();
  });

  it('knows null, the empty text and a missing key apart', () => {
    expect(fieldsOf({ 'url.path': null, 'http.request.method': 'GET' }).slice(3)).toEqual([null, 'GET']);
    expect(fieldsOf({ 'url.path': '', 'http.request.method': 'GET' }).slice(3)).toEqual(['/', 'GET']);
    expect(fieldsOf({ 'http.request.method': 'OPTIONS', 'url.path': '*' }).slice(3)).toEqual([null, 'OPTIONS']);
    expect(fieldsOf({ 'http.request.method': 'GET' }).slice(2, 4)).toEqual([undefined, undefined]);
  });

  it('that is no HTTP has no HTTP fields when it is a ping, and else does not know them', () => {
    expect(fieldsOf({ 'client.address': '198.18.1.1', 'network.transport': 'icmp' }).slice(2)).toEqual([
      null,
      null,
      null,
    ]);
    expect(fieldsOf({ 'client.address': '198.18.1.1', 'network.transport': 'tcp' }).slice(2)).toEqual([
      undefined,
      undefined,
      undefined,
    ]);
    expect(fieldsOf({ 'network.transport': 'tcp', 'tls.client.server_name': 'D.example' }).slice(2)).toEqual([
      'd.example',
      undefined,
      undefined,
    ]);
  });
});
