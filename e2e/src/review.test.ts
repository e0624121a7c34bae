/** The review of files and of the draft, by the command line and the service. */
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ServiceClient, type Review } from '@jadefence/contract';
import { Ajv2020 } from 'ajv/dist/2020.js';
import formats from 'ajv-formats';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { setUpDesk, type Desk } from './fixture.js';
import { ROOT } from './root.js';

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
  expect(shown(await client.findings()).sort()).toEqual([...FOUND, 'note never-tried undefined'].sort());
  const text = await desk.run('review', '--level', 'warning');
  expect(text.stdout).toContain(
    'The rule desk/printer is never reached at the gate shop: desk/office takes every request',
  );
  expect(text.stdout).not.toContain('partly-covered');
  expect(text.stderr).toContain('1 error, 1 warning, 2 notes, 1 ignored.');
});

it('findings are written as SARIF 2.1.0', async () => {
  const { stdout } = await desk.run('review', 'site.fence', '--output', 'sarif');
  const ajv = new Ajv2020({ strict: false, allErrors: true });
  formats.default(ajv);
  const validate = ajv.compile(
    JSON.parse(readFileSync(join(ROOT, 'e2e/data/sarif-2.1.0.schema.json'), 'utf8')) as object,
  );
  const sarif = JSON.parse(stdout) as { runs: [{ results: { ruleId: string; suppressions?: unknown[] }[] }] };
  expect(validate(sarif), JSON.stringify(validate.errors)).toBe(true);
  expect(sarif.runs[0].results.map(({ ruleId, suppressions }) => `${ruleId} ${suppressions?.length ?? 0}`)).toEqual([
    'never-true 0',
    'never-reached 0',
    'partly-covered 0',
    'no-effect 1',
  ]);
});

it('a draft with errors is not published', async () => {
  const refused = await desk.run('publish', '--note', 'First');
  expect([refused.exitCode, refused.stderr]).toEqual([
    2,
    expect.stringContaining('The review finds an error, so nothing was published.') as string,
  ]);
});

it('exits as is wished, and applies fixes to the draft alone', async () => {
  expect((await desk.run('review', 'site.fence', '--fix', 'never-true')).exitCode).toBe(2);
  expect((await desk.run('review', '--fix', 'never-true')).exitCode).toBe(0);
  expect(shown(await client.findings()).sort()).toEqual([...FOUND.slice(1), 'note never-tried undefined'].sort());
  expect((await desk.run('review')).exitCode).toBe(0);
  expect((await desk.run('review', '--fail-on', 'warning')).exitCode).toBe(1);
});

it('shows which requests change, and where a rule would have to be', async () => {
  const published = await desk.run('publish', '--note', 'First');
  expect(published.stderr).toContain('Warning: The rule desk/printer is never reached at the gate shop');
  expect((await desk.run('draft', 'changes', '--meaning')).stdout).toBe('Nothing changes for any request.\n');
  const placed = await desk.run('rule', 'place', 'desk/printer');
  expect(placed.stdout).toContain('It would have to be above desk/office.');
  expect(placed.stdout).toContain(
    'At the gate shop, requests where client = 198.18.4.9: allowed by desk/office before, blocked with 403 by desk/printer after.',
  );
  await desk.run('rule', 'place', 'desk/printer', '--yes');
  const changes = await client.draftMeaning();
  expect(changes.regions).toMatchObject([
    { conditions: [{ condition: 'client = 198.18.4.9' }], example: { 'client.address': '198.18.4.9' } },
  ]);
  expect(await client.meaningBetween(1, 'draft')).toMatchObject({ regions: [{ after: { by: 'desk/printer' } }] });
  expect((await desk.run('rule', 'place', 'desk/printer')).stdout).toContain('it can stay where it is');
  const against = await desk.run('review', '--against', '1', '--output', 'json');
  const added = shown(JSON.parse(against.stdout) as Review);
  expect(added).toContain('note partly-covered desk/office');
  expect(added).not.toContain('warning never-reached desk/printer');
});

it('the demo has no warning, and its first draft has the usual mistakes', async () => {
  const data = [
    '--country-table',
    join(ROOT, 'demo/data/countries.csv'),
    '--category-feed',
    join(ROOT, 'demo/data/categories.csv'),
  ];
  const clean = await desk.run('review', join(ROOT, 'demo/fences'), ...data, '--fail-on', 'warning');
  expect([clean.exitCode, clean.stderr]).toEqual([0, expect.not.stringContaining('warning') as string]);
  await desk.run('fence', 'import', join(ROOT, 'demo/fences'), '--yes');
  await desk.run('country', 'import', join(ROOT, 'demo/data/countries.csv'));
  await desk.run('fence', 'import', join(ROOT, 'demo/first-draft'), '--only', '--yes');
  const { findings } = await client.findings();
  expect(findings.filter(({ level }) => level !== 'note').map(({ id, rule }) => `${id} ${rule}`)).toEqual(
    expect.arrayContaining([
      'never-true picture-api/writes',
      'never-reached picture-api/scraper',
      'path-needs-inspection visitors/large-files',
      'country-without-ranges tout-watch/spread',
      'missing-need reading/archive',
    ]),
  );
  const misspelt = await desk.run('review', join(ROOT, 'demo/examples/misspelt.fence'));
  expect([misspelt.exitCode, misspelt.stdout]).toEqual([
    1,
    expect.stringMatching(/No list is named "head-ofice"\. \[unknown-name\]\n +Did you mean "head-office"\?/) as string,
  ]);
});
