/** The review of files and of the draft, by the command line and the service. */
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ServiceClient, type Review } from '@jadefence/contract';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { setUpDesk, type Desk } from './fixture.js';

const TEXT = `list office addresses { 198.18.4.0/24 }
gate shop inbound { hosts shop.example fences desk otherwise allow }
fence desk enforce {
  rule office allow outright when client in office
  rule printer block when client = 198.18.4.9
  rule both block when host = a.shop.example and host = b.shop.example
  # review: ignore no-effect because the auditors read it
  rule note observe when path under /x
}
`;
const FOUND = ['error never-true desk/both', 'warning never-reached desk/printer', 'note partly-covered desk/note'];

let desk: Desk;
let client: ServiceClient;
beforeAll(async () => {
  desk = await setUpDesk();
  client = new ServiceClient({ baseUrl: desk.service.address, token: desk.token });
  writeFileSync(join(desk.folder, 'site.fence'), TEXT);
  await desk.run('fence', 'import', 'site.fence', '--yes');
});
afterAll(() => desk.clear());

const shown = ({ findings }: Review) => findings.map(({ level, id, rule }) => `${level} ${id} ${rule}`);

it('files and the draft have the same findings, as text and as JSON', async () => {
  const ofFiles = await desk.run('review', 'site.fence', '--output', 'json', '--show-ignored');
  const json = JSON.parse(ofFiles.stdout) as Review & { checked: { ms: number } };
  expect([ofFiles.exitCode, shown(json)]).toEqual([1, FOUND]);
  expect(json.ignored.map(({ id, rule }) => `${id} ${rule}`)).toEqual(['no-effect desk/note']);
  expect(json.checked).toMatchObject({ rules: 4, gates: 1 });
  const reached = json.findings.find(({ id }) => id === 'never-reached')!;
  expect(reached).toMatchObject({
    gate: 'shop',
    related: ['desk/office'],
    example: { 'client.address': '198.18.4.9' },
  });
  expect(reached.place).toEqual({ file: 'site.fence', line: 5, column: 3 });
  expect(shown(await client.findings())).toEqual(FOUND);
  const text = await desk.run('review', '--level', 'warning');
  expect(text.stdout).toContain(
    'The rule desk/printer is never reached at the gate shop: desk/office takes every request',
  );
  expect(text.stdout).not.toContain('partly-covered');
  expect(text.stderr).toContain('1 error, 1 warning, 1 note, 1 ignored.');
});

it('exits as is wished, and applies fixes to the draft alone', async () => {
  expect((await desk.run('review', 'site.fence', '--fix', 'never-true')).exitCode).toBe(2);
  expect((await desk.run('review', '--fix', 'never-true')).exitCode).toBe(0);
  expect(shown(await client.findings())).toEqual(FOUND.slice(1));
  expect((await desk.run('review')).exitCode).toBe(0);
  expect((await desk.run('review', '--fail-on', 'warning')).exitCode).toBe(1);
});
