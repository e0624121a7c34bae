/** What is moved, found, named and deleted by the command line, and what the service refuses of it. */
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ServiceClient, type ServiceError } from '@jadefence/contract';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { setUpDesk, type Desk } from './fixture.js';

const TEXT = `list team addresses { 198.18.4.0/24 }
list all addresses { team except 198.18.4.66 }
gate shop inbound { hosts shop.example fences desk, house otherwise allow }
gate wifi outbound { clients 198.18.40.0/22 otherwise allow }
fence desk enforce {
  rule staff tag staff when client in team
  rule login block when path under /login
}
fence house trial { rule late observe when always }
expect blocked by rule desk/login from 203.0.113.9 to https://shop.example/login
`;

let desk: Desk;
let client: ServiceClient;
beforeAll(async () => {
  desk = await setUpDesk();
  client = new ServiceClient({ baseUrl: desk.service.address, token: desk.token });
  writeFileSync(join(desk.folder, 'site.fence'), TEXT);
  await done('fence', 'import', 'site.fence', '--yes');
  await done('log', 'import', 'day.log');
});
afterAll(() => desk.clear());

const done = (...args: string[]): Promise<string> => desk.done(...args);
const codeOf = (promise: Promise<unknown>): Promise<string | undefined> =>
  promise.then(
    () => undefined,
    (error: ServiceError) => error.problem?.code,
  );

it('a rule moves to another fence, and a gate among the others', async () => {
  await done('rule', 'move', 'desk/login', '--to-fence', 'house', '--top');
  const { fences, gates } = await client.draft();
  expect(fences.map(({ name, rules }) => [name, rules.map((rule) => rule.name)])).toEqual([
    ['desk', ['staff']],
    ['house', ['login', 'late']],
  ]);
  // What expects the rule follows it.
  expect((await client.expectations())[0]!.text).toContain('by rule house/login');
  expect(gates.map(({ name }) => name)).toEqual(['shop', 'wifi']);
  await done('gate', 'move', 'wifi', '--top');
  expect((await client.draft()).gates.map(({ name }) => name)).toEqual(['wifi', 'shop']);
  expect(await desk.run('rule', 'move', 'house/login', '--to-fence', 'nowhere')).toMatchObject({ exitCode: 2 });
});

it('a value is found in all lists, and exceptions are added and removed like entries', async () => {
  expect(await done('list', 'find', '198.18.4.7')).toMatch(/team +yes +198\.18\.4\.0\/24[^]*all +yes +.* team/);
  expect(await desk.run('list', 'find', '203.0.113.9')).toMatchObject({ exitCode: 1 });
  await done('list', 'add', 'team', 'except 198.18.4.9');
  expect(await client.lookupInLists('198.18.4.9')).toMatchObject([
    { list: 'team', isIn: false, takenOutBy: '198.18.4.9' },
  ]);
  await done('list', 'remove', 'team', 'except 198.18.4.9');
  expect((await client.lookupInLists('198.18.4.9')).map(({ list, isIn }) => [list, isIn])).toEqual([
    ['team', true],
    ['all', true],
  ]);
});

it('the entries of a list have who added them, also under the name that it had before', async () => {
  await done('list', 'add', 'team', '198.18.9.9');
  await done('list', 'rename', 'team', 'staff');
  await done('list', 'add', 'staff', 'except 198.18.4.9');
  const origins = await client.entryOrigins('staff');
  expect(origins.map(({ lines }) => lines)).toEqual([['198.18.4.0/24'], ['198.18.9.9'], ['except 198.18.4.9']]);
  expect(origins.every(({ addedBy }) => addedBy === 'admin')).toBe(true);
  expect(await done('list', 'origins', 'staff')).toMatch(/198\.18\.9\.9 +admin +20/);
  expect(await desk.run('list', 'origins', 'nothing')).toMatchObject({ exitCode: 2 });
});

describe('a replay', () => {
  it('has a name, and is deleted once nothing shows it', async () => {
    await done('replay', 'start', 'day.log', '--against', 'draft', '--name', 'the first');
    expect(await done('replay', 'list')).toMatch(/1 +day\.log .* the first/);
    await done('replay', 'rename', '1', 'before the sale');
    expect((await client.replay(1)).name).toBe('before the sale');
    await done('replay', 'rename', '1', '');
    expect((await client.replay(1)).name).toBeNull();
    await client.publish({ note: 'first', isForced: true }, (await client.draft()).version);
    await done('compare', 'day.log', '--before', '1', '--after', 'draft');
    const [comparison] = await client.comparisons();
    const { id } = comparison!.after;
    expect(await codeOf(client.deleteReplay(id, false))).toBe('replay-in-use');
    await done('replay', 'delete', String(id), '--force');
    expect(await client.comparisons()).toEqual([]);
    expect(await codeOf(client.replay(id))).toBe('not-found');
  });
});

it('a request is tried at a gate that does not cover it', async () => {
  expect(await done('try', '--client', '203.0.113.9', '--url', 'other.example/login', '--against', 'draft')).toContain(
    'uncovered',
  );
  const tried = await client.tryRequest({
    client: '203.0.113.9',
    url: 'other.example/',
    against: 'draft',
    gate: 'shop',
  });
  expect([tried.gate?.name, tried.decision.outcome]).toEqual(['shop', 'allowed']);
  expect(await codeOf(client.tryRequest({ client: '203.0.113.9', url: 'a.example/', gate: 'shpo' }))).toBe('bad-input');
});

it('a password is changed by who knows it, and ends other sessions', async () => {
  const { name, password } = desk.service.signIn;
  const signIn = () =>
    fetch(`${desk.service.address}/api/v1/session`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ name, password }),
    });
  const cookies = (await Promise.all([signIn(), signIn()])).map(
    (response) => response.headers.get('set-cookie')!.split(';')[0]!,
  );
  const call = (cookie: string, method: string, path: string, body?: object) =>
    fetch(`${desk.service.address}/api/v1${path}`, {
      method,
      headers: { cookie, 'content-type': 'application/json', 'origin': desk.service.address },
      ...(body ? { body: JSON.stringify(body) } : {}),
    });
  const change = { password, newPassword: 'a long one for once' };
  expect((await call(cookies[0]!, 'PUT', '/session/password', { ...change, password: 'wrong' })).status).toBe(401);
  expect((await call(cookies[0]!, 'PUT', '/session/password', { ...change, newPassword: 'short' })).status).toBe(422);
  expect((await call(cookies[0]!, 'PUT', '/session/password', change)).status).toBe(204);
  expect(
    [await call(cookies[0]!, 'GET', '/session'), await call(cookies[1]!, 'GET', '/session')].map(
      ({ status }) => status,
    ),
  ).toEqual([200, 401]);
  expect((await signIn()).status).toBe(401);
});
