/** Gates through the command line. */
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { setUpDesk, type Desk } from './fixture.js';

let desk: Desk;
beforeAll(async () => {
  desk = await setUpDesk();
});
afterAll(() => desk.clear());

/** Runs a command that must do well. */
async function done(...args: string[]): Promise<string> {
  const { exitCode, stdout, stderr } = await desk.run(...args);
  expect([args, exitCode, stderr]).toEqual([args, 0, stderr]);
  return stdout;
}

async function begin(text: string): Promise<void> {
  writeFileSync(join(desk.folder, 'site.fence'), text);
  await done('fence', 'import', 'site.fence', '--yes');
}

/** The draft as it is exported: every file with its text. */
async function exported(name: string): Promise<Record<string, string>> {
  await done('fence', 'export', name);
  const folder = join(desk.folder, name);
  const files = readdirSync(folder, { recursive: true, withFileTypes: true }).filter((entry) => entry.isFile());
  return Object.fromEntries(
    files.map((entry) => [entry.name, readFileSync(join(entry.parentPath, entry.name), 'utf8')]),
  );
}

describe('a gate', () => {
  it('built by the command line comes out as the same gate that is written in a file', async () => {
    const rest = 'list proxies addresses { 203.0.113.0/26 } fence house enforce { } fence desk enforce { }';
    await begin(rest);
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
    const byCommand = await exported('gates-by-command');
    await begin(`${rest}
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
    expect(await exported('gates-by-file')).toEqual(byCommand);
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
