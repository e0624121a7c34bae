import { formatRange, parseAddress, parseNetwork } from '@jadefence/core/request';
import fc from 'fast-check';
import pg from 'pg';
import request from 'supertest';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { createTestDatabase } from '../../../e2e/src/test-database.js';
import { createService, type Service } from './app.js';
import { readConfig } from './config.js';
import type { Route } from './http/route.js';

let database: Awaited<ReturnType<typeof createTestDatabase>>;
let service: Service;
let tokens: Record<'viewer' | 'administrator', string>;

beforeAll(async () => {
  database = await createTestDatabase();
  service = await createService(
    readConfig({
      JADEFENCE_DATABASE_URL: database.url,
      JADEFENCE_LOG_LEVEL: 'silent',
      JADEFENCE_CONSOLE_FOLDER: '/nowhere',
    }),
    false,
  );
  await service.users.createFirstAdministrator('/tmp/jadefence-app-test-sign-in', 'http://127.0.0.1');
  const admin = (await service.users.byUserId(1))!;
  const tokenOf = async (scope: 'viewer' | 'administrator'): Promise<string> =>
    (await service.users.createToken(admin, { name: scope, scope })).token;
  tokens = { viewer: await tokenOf('viewer'), administrator: await tokenOf('administrator') };
});
afterAll(async () => {
  await service.close();
  await database.drop();
});

const pathOf = ({ path }: Route): string =>
  `/api/v1${path.replace(':kind', 'country').replace(':name', 'n').replaceAll(/:\w+/g, '1')}`;
const call = (route: Route, token?: string) => {
  const sent = request(service.app)[route.method](pathOf(route));
  return token ? sent.set('authorization', `Bearer ${token}`) : sent;
};

describe('every route', () => {
  it('but health and the ways to sign in refuses who is not signed in', async () => {
    const open: string[] = [];
    for (const route of service.routes) {
      const { status, type, body } = await call(route);
      if (route.access === 'public') open.push(route.path);
      else
        expect([route.path, status, type, body.code]).toEqual([
          route.path,
          401,
          'application/problem+json',
          'unauthenticated',
        ]);
    }
    expect(open).toEqual(['/openapi.json', '/reference', '/health', '/ready', '/session', '/session/tokens']);
  });

  it('that changes something refuses who may only look', async () => {
    const changing = service.routes.filter((route) => route.access === 'editor' || route.access === 'administrator');
    expect(changing.length).toBeGreaterThan(3);
    for (const route of changing)
      expect([route.path, (await call(route, tokens.viewer)).status]).toEqual([route.path, 403]);
  });

  it('that takes a body refuses what is no JSON, no object, or has unknown or missing keys', async () => {
    const withBody = service.routes.filter((route) => route.body);
    expect(withBody.length).toBeGreaterThan(3);
    for (const route of withBody) {
      const send = (body: string): Promise<[number, string]> =>
        call(route, tokens.administrator)
          .set('content-type', 'application/json')
          .send(body)
          .then((response) => [response.status, (response.body as { code: string }).code]);
      expect([route.path, await send('{"a":')]).toEqual([route.path, [400, 'bad-body']]);
      expect([route.path, await send('[]')]).toEqual([route.path, [400, 'bad-body']]);
      expect([route.path, await send('{"surely-unknown":1}')]).toEqual([route.path, [422, 'bad-input']]);
    }
  });

  it('that takes parameters refuses nonsense in them', async () => {
    for (const route of service.routes.filter(({ path }) => path.includes(':'))) {
      const path = `/api/v1${route.path.replaceAll(/:\w+/g, 'X!%01')}`;
      const { status, body } = await request(service.app)
        [route.method](path)
        .set('authorization', `Bearer ${tokens.administrator}`);
      expect([route.path, status, body.code]).toEqual([route.path, 422, 'bad-input']);
    }
  });

  it('that is not there is a problem, not a page', async () => {
    const { status, body } = await request(service.app)
      .get('/api/v1/nothing')
      .set('authorization', `Bearer ${tokens.viewer}`);
    expect([status, body.code]).toEqual([404, 'not-found']);
  });
});

describe('addresses', () => {
  it('are read and compared with networks as PostgreSQL does it', async () => {
    const client = new pg.Client({ connectionString: database.url });
    await client.connect();
    try {
      const ipv4 = fc
        .tuple(fc.nat(255), fc.nat(255), fc.constantFrom(0, 128, 255), fc.nat(255))
        .map((parts) => parts.join('.'));
      const ipv6 = fc.ipV6().filter((text) => !text.includes('.'));
      const pair = fc.oneof(
        fc.record({ address: ipv4, base: ipv4, bits: fc.nat(32) }),
        fc.record({ address: ipv6, base: ipv6, bits: fc.nat(128) }),
      );
      // Addresses below ::/64 are left out: PostgreSQL writes some of them with dots, and keeps mapped ones as IPv6.
      const cases = fc
        .sample(pair, { numRuns: 400, seed: 7340 })
        .filter(({ base, address }) => [base, address].every((text) => /^[1-9a-f]|\./i.test(text)));
      // Half of the networks are made around the address, so that both answers come up.
      const requested = cases.map(({ address, base, bits }, index) => ({
        address,
        network: `${index % 2 ? base : address}/${bits}`,
      }));
      const { rows } = await client.query(
        'select network(n::inet)::text as network, a::inet <<= network(n::inet) as holds from unnest($1::text[], $2::text[]) with ordinality as t(a, n, i) order by i',
        [requested.map((item) => item.address), requested.map((item) => item.network)],
      );
      const ours = requested.map(({ address, network }) => {
        const [range, value] = [parseNetwork(network)!, parseAddress(address)!.value];
        const text = formatRange(range);
        return {
          network: text.includes('/') ? text : `${text}/${range.family === 4 ? 32 : 128}`,
          holds: range.first <= value && value <= range.last,
        };
      });
      expect(ours).toEqual(rows);
      expect(new Set(ours.map(({ holds }) => holds))).toEqual(new Set([true, false]));
    } finally {
      await client.end();
    }
  });
});
