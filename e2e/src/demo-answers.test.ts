/** What was planted in the demo's log is found by the answers: labels of its generator prove it, no counts of ours. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { FenceSources } from '@jadefence/contract';
import { DEMO_LOG, generateInboundLog } from '@jadefence/demo';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { importTable, replayOnService, startTestService, type TestService } from './service.js';

const FOLDER = join(import.meta.dirname, '../../demo');
const read = (path: string): string => readFileSync(join(FOLDER, path), 'utf8');
const lines = [...generateInboundLog(DEMO_LOG)];

/** The rules of the demo without those that let the partner through and stop sign-ins from abroad. */
function fences(): FenceSources {
  const fencesText = read('fences/fences.fence')
    .replace(/.*rule trusted .*\n/, '')
    .replace(/.*rule touts .*\n/, '')
    .replace(/.*rule login-abroad [^}]*/, '');
  return {
    fenceFiles: [
      { path: 'fences.fence', text: fencesText },
      { path: 'gates.fence', text: read('fences/gates.fence') },
      { path: 'lists.fence', text: read('fences/lists.fence') },
    ],
    namedFiles: [{ path: 'lists/tout-networks.txt', text: read('fences/lists/tout-networks.txt') }],
  };
}

let service: TestService;
let replayId: number;
beforeAll(async () => {
  service = await startTestService();
  await importTable(service.client, readFileSync(join(FOLDER, 'data/countries.csv')));
  const bytes = new TextEncoder().encode(lines.map(({ text }) => `${text}\n`).join(''));
  replayId = (await replayOnService(service.client, fences(), { name: 'day.log', bytes })).id;
}, 180_000);
afterAll(() => service.stop());

/** How many requests with each label a filter finds. */
async function labelsOf(where: string): Promise<Record<string, number>> {
  const counts: Record<string, number> = {};
  for (let offset = 0; ; offset += 1000) {
    const { rows } = await service.client.decisions(replayId, { offset, limit: 1000, where });
    for (const { line } of rows) {
      const label = lines[line - 1]!.label ?? 'ordinary';
      counts[label] = (counts[label] ?? 0) + 1;
    }
    if (rows.length < 1000) return counts;
  }
}
const planted = (label: string): number => lines.filter((line) => line.label === label).length;

it('the tout behind 300 addresses is a spread source, and no ordinary request is taken for it', async () => {
  const found = (await service.client.trafficFindings(replayId)).filter(({ id }) => id === 'spread-source');
  expect(found).toHaveLength(1);
  expect(found[0]!.level).toBe('warning');
  expect(await labelsOf(found[0]!.where!)).toEqual({
    'tout-network': planted('tout-network'),
    'tout-spread': planted('tout-spread'),
  });
});

it.each([
  ['tout-network', 'recorded status = 401 and time < 2026-10-12T03:50:00Z'],
  ['tout-spread', 'recorded status = 401 and time >= 2026-10-12T03:50:00Z'],
  ['scraper', 'client in 198.18.200.0/24'],
])('a rule is suggested for %s by %s that stops nearly all of it and hardly anything besides', async (label, stop) => {
  const { chosen, rules } = await service.client.suggestRules(replayId, { stop });
  expect(chosen).toBe(planted(label));
  const [best] = rules;
  const { [label]: stopped = 0, ...others } = await labelsOf(best!.condition);
  expect(stopped).toBeGreaterThanOrEqual(0.95 * planted(label));
  const besides = Object.values(others).reduce((sum, requests) => sum + requests, 0);
  expect(besides).toBeLessThanOrEqual(0.001 * (lines.length - planted(label)));
  expect([best!.stopped, best!.collateral]).toEqual([stopped, besides]);
});

it('the partner that a country rule stops is its collateral, and the narrow rule spares the partner', async () => {
  const [found] = (await service.client.trafficFindings(replayId)).filter(({ id }) => id === 'wide-collateral');
  expect(found).toMatchObject({
    rule: 'picture-api/scraper',
    evidence: [`It also stops ${planted('partner')} requests of 3 other clients.`, expect.any(String)],
  });
  expect(await labelsOf(found!.where!)).toEqual({ scraper: planted('scraper') });
  const { version } = await service.client.draft();
  await service.client.edit(found!.fix!, version);
  const { id } = await service.client.startReplay({ logId: 1, against: 'draft' });
  await service.client.followReplay(id, () => undefined);
  const { summary } = await service.client.replayResult(id);
  const rule = summary.fences.flatMap(({ rules }) => rules).find(({ rule: name }) => name === 'scraper');
  expect(rule).toMatchObject({ decided: planted('scraper') });
});

it('paths that are written oddly pass rules', async () => {
  const found = await service.client.trafficFindings(replayId);
  const odd = found.filter(({ id }) => id === 'path-variant-escapes');
  for (const { where } of odd) expect(Object.keys(await labelsOf(where!))).toEqual(['odd-path']);
  expect(odd.length).toBeGreaterThan(0);
});

it('a limit that catches no one, once the tout is stopped before it', async () => {
  const { version } = await service.client.draft();
  await service.client.importFences(
    { ...fences(), fenceFiles: [{ path: 'fences.fence', text: read('fences/fences.fence') }] },
    true,
    version,
  );
  const { id } = await service.client.startReplay({ logId: 1, against: 'draft' });
  await service.client.followReplay(id, () => undefined);
  const found = await service.client.trafficFindings(id);
  expect(found.filter((one) => one.id === 'limit-never-near').map(({ rule }) => rule)).toEqual([
    'ticket-desk/login-pace',
  ]);
  expect(found.find((one) => one.id === 'spread-source')).toMatchObject({ level: 'note' });
});

it('a fence that is ready, and one that is not', async () => {
  const [ready, other] = await Promise.all(
    ['tout-watch', 'originals-watch'].map((name) => service.client.readiness(name)),
  );
  expect([ready!.verdict, ready!.rules[0]!.wouldStop]).toEqual(['ready', planted('tout-spread')]);
  expect([other!.verdict, other!.numLegitimate > 50]).toEqual(['look', true]);
});

it('what rules did in the latest replay of the log, and what no expectation decides', async () => {
  const { replays, rules } = await service.client.ruleUse();
  const of = (name: string) => rules.find(({ rule }) => rule === name)!;
  expect(replays).toMatchObject([{ id: 3, requests: lines.length - planted('malformed') }]);
  expect(of('tout-watch/spread')).toMatchObject({
    hits: [planted('tout-spread')],
    decided: planted('tout-spread'),
    expectations: 0,
  });
  expect(of('picture-api/writes')).toMatchObject({ hits: [0], decided: 0 });
});
