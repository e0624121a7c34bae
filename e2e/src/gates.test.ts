/** Gates through the command line. */
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { setUpDesk, type Desk } from './fixture.js';

let desk: Desk;
beforeAll(async () => {
  desk = await setUpDesk();
});
afterAll(() => desk.clear());

const done = (...args: string[]): Promise<string> => desk.done(...args);

describe('a gate', () => {
  it('built by the command line comes out as the same gate that is written in a file', async () => {
    const rest = 'list proxies addresses { 203.0.113.0/26 } fence house enforce { } fence desk enforce { }';
    await desk.begin(rest);
    await done(
      ...['gate', 'create', 'shop', '--hosts', 'shop.example', '=www.example', '--fences', 'desk'],
      ...['--header', 'X-Forwarded-For', '--trusting', 'proxies', '--otherwise', 'block 451'],
    );
    await done(
      ...['gate', 'create', 'guests', '--clients', '198.18.48.0/22'],
      ...['--inspection', 'exempt when host under bank.example', 'otherwise inspect'],
    );
    await done('gate', 'create', 'old', '--hosts', 'old.example');
    await done('gate', 'delete', 'old');
    await done('gate', 'attach', 'shop', 'house', '--top');
    await done('gate', 'set', 'shop', '--paths', 'fold-case', '--otherwise', 'allow');
    await done('fence', 'attach', 'house', 'guests', '--hosts', '*.example');
    const byCommand = await desk.exported('gates-by-command');
    await desk.begin(`${rest}
gate shop inbound {
  hosts shop.example, =www.example
  client from header x-forwarded-for trusting proxies
  paths fold-case
  fences desk, house
  otherwise allow
}
gate guests outbound {
  clients 198.18.48.0/22
  inspect { exempt when host under bank.example otherwise inspect }
  fences house
  otherwise allow
}`);
    expect(await desk.exported('gates-by-file')).toEqual(byCommand);
    const shown = await done('gate', 'show', 'shop');
    expect(shown).toContain('client from header x-forwarded-for trusting proxies');
    await done('gate', 'set', 'shop', '--no-header', '--no-paths');
    await done('gate', 'set', 'guests', '--no-inspection');
    const plain = (await done('gate', 'show', 'shop')) + (await done('gate', 'show', 'guests'));
    expect(plain).not.toMatch(/header|paths|inspect/);
  });

  it.each([
    [['create', 'shop', '--hosts', 'other.example'], 'There is a gate "shop" already.'],
    [['set', 'shop', '--clients', '198.18.0.0/24'], 'The gate is inbound'],
    [['set', 'guests', '--hosts', 'shop.example'], 'The gate is outbound'],
    [['set', 'shop', '--header', 'x-real-ip'], 'from trusted proxies only'],
    [['set', 'guests', '--inspection', 'exempt if 1'], 'The inspection cannot be read:'],
    [['set', 'shop', '--otherwise', 'maybe'], 'The gate cannot be read:'],
    [['show', 'shp'], 'Did you mean "shop"?'],
  ])('is refused: %j', async (args, message) => {
    const { exitCode, stderr } = await desk.run('gate', ...args);
    expect([exitCode, stderr]).toEqual([2, expect.stringContaining(message)]);
  });

  it('without such a host gets no fence', async () => {
    const { exitCode, stderr } = await desk.run('fence', 'attach', 'desk', '--hosts', '*.nowhere');
    expect([exitCode, stderr]).toEqual([2, expect.stringContaining('The hosts are: shop.example, =www.example.')]);
  });
});

/** Requests of visitors behind a proxy and of one that is not trusted, and of guests, half of them encrypted. */
const PROXIED = Array.from({ length: 40 }, (_, index) =>
  JSON.stringify({
    'timestamp': new Date(Date.UTC(2026, 9, 12, 10, 0, index)).toISOString(),
    'network.peer.address': ['203.0.113.9', '203.0.113.200', '198.18.48.7', '198.18.48.7'][index % 4],
    'url.full': ['https://shop.example/a', 'https://shop.example/a', 'http://x.example/a', 'https://x.example/a'][
      index % 4
    ],
    'http.request.method': 'GET',
    ...(index % 4 < 2 ? { 'http.request.header.x-forwarded-for': ['198.51.100.7'] } : {}),
  }),
).join('\n');

describe('a gate on a log', () => {
  it('shows whom its header makes the client, and what encryption hides, before it is set so', async () => {
    await desk.begin(`list proxies addresses { 203.0.113.0/26 }
# Guests
gate guests outbound { clients 198.18.48.0/22 fences house otherwise allow }
# The shop
gate shop inbound { hosts shop.example fences house otherwise allow }
fence house enforce { rule paths block when path under /a }
`);
    writeFileSync(join(desk.folder, 'proxied.ndjson'), PROXIED);
    await done('log', 'import', 'proxied.ndjson');
    expect(await done('gate', 'preview', 'shop', '1', '--header', 'x-forwarded-for', '--trusting', 'proxies')).toBe(
      [
        '20 requests at the gate shop',
        '20 requests with x-forwarded-for; the client changes in 10',
        '10 headers ignored: the address that connected is not trusted to name the client',
        '',
      ].join('\n'),
    );
    expect(await done('gate', 'preview', 'guests', '1')).toContain(
      '10 encrypted requests, of which 10 are not inspected',
    );
    expect(await done('gate', 'preview', 'guests', '1', '--inspection', 'otherwise inspect')).toContain(
      'of which 0 are',
    );
    expect(await desk.exported('after-preview')).not.toMatchObject({
      'gates.fence': expect.stringContaining('inspect') as string,
    });
  });

  it('reports of how many requests a rule cannot see a field', async () => {
    const { matching, unknown, unseen } = await desk.service.client.countMatches(1, {
      text: 'rule paths block when path under /a',
      fence: 'house',
    });
    expect([matching, unknown, unseen]).toEqual([30, 10, [{ field: 'path', requests: 10 }]]);
    await done('replay', 'start', '1', '--against', 'draft');
    expect(await done('replay', 'show', '1')).toContain('blind on 10 (path unknown)');
  });
});

describe('a page', () => {
  it('is set from a file, listed with its rules, previewed with escaped values, and deleted', async () => {
    await desk.begin('fence desk enforce { rule shut block when always }');
    writeFileSync(
      join(desk.folder, 'closed.html'),
      '<!doctype html><title>Closed</title><h1>{{host}} is closed: {{reason}}</h1>',
    );
    await done('page', 'set', 'closed', 'closed.html');
    await done('rule', 'replace', 'desk/shut', 'rule shut block page closed when always');
    expect(await done('page', 'list')).toMatch(/closed +pages\/closed.html +75 +rule desk\/shut/);
    await done('page', 'preview', 'closed', '--output', 'shown.html', '--reason', '<script>alert(1)</script>');
    const shown = readFileSync(join(desk.folder, 'shown.html'), 'utf8');
    expect(shown).toContain('www.example is closed: &#60;script&#62;alert(1)');
    expect(shown).toContain("default-src 'none'");
    expect((await desk.run('page', 'delete', 'closed')).stderr).toContain('used by rule desk/shut');
  });

  it.each([
    ['<script>x</script>', 'bad.html:1: The page has an element that pages may not have: script.'],
    ['<p>{{nope}}', 'bad.html:1: Unknown placeholder "{{nope}}".'],
    ['x'.repeat(300_000), 'The page has 300,000 bytes'],
  ])('with %.20s is refused', async (text, message) => {
    writeFileSync(join(desk.folder, 'bad.html'), text);
    const { exitCode, stderr } = await desk.run('page', 'set', 'bad', 'bad.html');
    expect([exitCode, stderr]).toEqual([2, expect.stringContaining(message)]);
  });
});
