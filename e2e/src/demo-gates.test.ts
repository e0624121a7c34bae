/**
 * What the demo shows of gates: visitors behind proxies, inspection, a backup that is throttled, masked exports. Each by files, by the
 * command line and by the console; labels of the generators prove it, no counts of ours.
 */
import { cpSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { DEMO_EDGE_LOG, DEMO_OUTBOUND_LOG, generateEdgeLog, generateOutboundLog } from '@jadefence/demo';
import type { Browser } from 'playwright-core';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { launchBrowser, openPage } from './browser.js';
import { setUpDesk, type Desk } from './fixture.js';
import { ROOT } from './root.js';

const edge = [...generateEdgeLog(DEMO_EDGE_LOG)];
const outbound = [...generateOutboundLog(DEMO_OUTBOUND_LOG)];
const DATA = [
  ...['--country-table', join(ROOT, 'demo/data/countries.csv')],
  ...['--category-feed', join(ROOT, 'demo/data/categories.csv')],
];

interface Decided {
  readonly 'timestamp': string;
  readonly 'jade.line': number;
  readonly 'jade.outcome': string;
  readonly 'jade.fence'?: string;
  readonly 'jade.rule'?: string;
  readonly 'jade.blind': readonly string[];
  readonly 'jade.throttle'?: readonly { readonly 'rule': string; readonly 'wait-ms': number }[];
}

let desk: Desk;
let browser: Browser;
/** As files are judged, by name. */
const judged = new Map<string, string>();
/** Replays of the edge log by revision 1, which has mistakes, and by the draft. */
let [withMistakes, corrected] = [0, 0];
beforeAll(async () => {
  [desk, browser] = [await setUpDesk(), await launchBrowser()];
  cpSync(join(ROOT, 'demo/fences'), join(desk.folder, 'fences'), { recursive: true });
  for (const [name, lines] of [
    ['edge.ndjson', edge],
    ['outbound.ndjson', outbound],
  ] as const)
    writeFileSync(join(desk.folder, name), lines.map(({ text }) => `${text}\n`).join(''));
  await done('country', 'import', DATA[1]!);
  await done('category', 'import', DATA[3]!);
  await done('fence', 'import', 'fences', '--yes');
  await done('fence', 'import', join(ROOT, 'demo/first-draft'), '--only', '--yes');
  await done('review', '--fix', 'never-true');
  await done('publish', '--note', 'With mistakes');
  await done('fence', 'import', 'fences', '--yes');
  await done('log', 'import', 'edge.ndjson');
  await done('log', 'import', 'outbound.ndjson');
  for (const log of ['edge.ndjson', 'outbound.ndjson'])
    judged.set(log, await done('judge', log, '--fences', 'fences', ...DATA, '--output', 'ndjson'));
  withMistakes = await replay('edge.ndjson', '1');
  corrected = await replay('edge.ndjson', 'draft');
}, 180_000);
afterAll(async () => {
  await browser?.close();
  await desk.clear();
});

const done = (...args: string[]): Promise<string> => desk.done(...args);

/** Replays a log by command. @returns the number of the replay */
async function replay(log: string, against: string): Promise<number> {
  const { id } = JSON.parse(await done('replay', 'start', log, '--against', against, '--output', 'json')) as {
    id: number;
  };
  return id;
}

async function exported(id: number): Promise<string> {
  await done('replay', 'export', String(id), `${id}.ndjson`, '--format', 'ndjson');
  return readFileSync(join(desk.folder, `${id}.ndjson`), 'utf8');
}

function parse(text: string): Decided[] {
  return text
    .trimEnd()
    .split('\n')
    .map((line) => JSON.parse(line) as Decided);
}

/** Decisions of the edge log by label, as `outcome rule`, with those where a rule was blind. */
function byLabel(decisions: readonly Decided[]): Record<string, string[]> {
  const seen: Record<string, Set<string>> = {};
  for (const decision of decisions) {
    const label = edge[decision['jade.line'] - 1]!.label;
    if (label === undefined) continue;
    const blind = decision['jade.blind'].map((rule) => ` blind ${rule}`).join('');
    const rule = decision['jade.rule'] === undefined ? '-' : `${decision['jade.fence']}/${decision['jade.rule']}`;
    (seen[label] ??= new Set()).add(`${decision['jade.outcome']} ${rule}${blind}`);
  }
  return Object.fromEntries(Object.entries(seen).map(([label, kinds]) => [label, [...kinds].sort()]));
}

it.each(['edge.ndjson', 'outbound.ndjson'])(
  '%s is decided alike by files, command and console',
  async (log) => {
    const byFiles = judged.get(log)!;
    expect(parse(byFiles).length).toBeGreaterThan(10_000);
    expect(await exported(log === 'edge.ndjson' ? corrected : await replay(log, 'draft'))).toBe(byFiles);
    const { page, context } = await openPage(desk.service, browser, `/logs/${log === 'edge.ndjson' ? 1 : 2}`);
    await page.getByRole('button', { name: 'Replay against the draft' }).click();
    await page.getByRole('heading', { name: 'Requests over time' }).waitFor();
    const id = Number(/replays\/(\d+)/.exec(page.url())![1]);
    await context.close();
    expect(await exported(id)).toBe(byFiles);
  },
  180_000,
);

it('behind the edge proxies the country of the visitor decides, and only proxies are trusted to name the client', async () => {
  const { abroad, forged } = byLabel(parse(judged.get('edge.ndjson')!));
  expect([abroad, forged]).toEqual([['blocked loan-desk/abroad'], ['blocked loan-desk/abroad']]);
});

it('with the header ignored visitors from abroad pass, which is a finding', async () => {
  expect(byLabel(parse(await exported(withMistakes))).abroad).toEqual(['allowed -']);
  const findings = await desk.service.client.trafficFindings(withMistakes);
  expect(findings.find((one) => one.id === 'proxy-as-client')?.message).toMatch(
    /^At the gate loans the address header/,
  );
});

it('a path rule is blind where nothing is inspected, and works where it is; health and finance are left alone', async () => {
  const blind = ['allowed - blind reading-desks/uploads'];
  expect(byLabel(parse(await exported(withMistakes)))).toMatchObject({ upload: blind, health: blind, finance: blind });
  const findings = await desk.service.client.trafficFindings(withMistakes);
  expect(findings.filter((one) => one.id === 'blind').map(({ rule }) => rule)).toEqual(['reading-desks/uploads']);
  const after = byLabel(parse(judged.get('edge.ndjson')!));
  expect(after).toMatchObject({ upload: ['blocked reading-desks/uploads'], health: blind, finance: blind });
});

it('the backup waits in desk hours, as long as its bytes take at the rate', async () => {
  const decisions = parse(judged.get('outbound.ndjson')!);
  const [bytesPerMs, burst] = [100, 100_000];
  let [freeFromMs, numDelayed] = [0, 0];
  for (const { 'jade.line': line, timestamp, 'jade.throttle': throttle } of decisions) {
    const { text, label } = outbound[line - 1]!;
    const at = new Date(timestamp);
    // The schedule of the demo is in UTC, as its rules name no zone.
    const hour = at.getUTCHours();
    const isThrottled = label === 'backup' && hour >= 9 && hour < 17 && hour !== 12;
    if (!isThrottled) {
      expect([line, throttle]).toEqual([line, undefined]);
      continue;
    }
    // The last byte passes when all before it have passed; what one second lets through was saved up.
    const bytes = (JSON.parse(text) as Record<string, number>)['http.request.body.size']!;
    freeFromMs = Math.max(freeFromMs, at.getTime() - burst / bytesPerMs) + bytes / bytesPerMs;
    const waitMs = Math.ceil(freeFromMs - at.getTime());
    expect([line, throttle]).toEqual([line, [{ 'fence': 'desks', 'rule': 'copy-rate', 'wait-ms': waitMs }]]);
    numDelayed += 1;
  }
  expect(numDelayed).toBeGreaterThan(100);
});

it('a masked export has no address of a client, and the same decisions', async () => {
  const plain = judged.get('edge.ndjson')!;
  await done('masking', 'set', 'client=hide', 'header "x-forwarded-for"=hide', 'peer=hide');
  await done('login', '--sign-in-file', join(desk.service.folder, 'sign-in'));
  const masked = await exported(corrected);
  const clients = new Set(plain.match(/198\.1[89]\.\d+\.\d+|2001:db8:[\da-f:]+|203\.0\.113\.\d+/g));
  // Rules may be written with addresses, but these have none.
  const left = [...clients].filter((client) => masked.includes(client));
  expect([clients.size > 1000, left]).toEqual([true, []]);
  const decided = (text: string): unknown[] =>
    parse(text).map((one) =>
      Object.entries(one).filter(([name]) => name.startsWith('jade.') && name !== 'jade.client'),
    );
  expect(decided(masked)).toEqual(decided(plain));
  const byFiles = await done(
    ...['judge', 'edge.ndjson', '--fences', 'fences', ...DATA, '--output', 'ndjson'],
    ...['--mask', 'client=hide,peer=hide,header "x-forwarded-for"=hide'],
  );
  expect(byFiles).toBe(masked);
});
