/** Several people at once, and large things at once. */
import { gzipSync } from 'node:zlib';
import { type ServiceError, type ServiceClient } from '@jadefence/contract';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { FENCES, logLine } from './fixture.js';
import { importInto, replayOnService, startTestService, type TestService } from './service.js';

let service: TestService;
let client: ServiceClient;
beforeAll(async () => {
  service = await startTestService();
  ({ client } = service);
});
afterAll(() => service.stop());

const sources = (text: string) => ({ fenceFiles: [{ path: 'site.fence', text }], namedFiles: [] });
const bytesOf = (text: string): Uint8Array<ArrayBuffer> => new Uint8Array(Buffer.from(text));

describe('at the same time', () => {
  it('the same bytes are taken once', async () => {
    const bytes = bytesOf(`${logLine('198.18.4.1', '/same', 1)}\n`.repeat(100));
    const results = await Promise.allSettled(
      Array.from({ length: 4 }, (_, index) => client.importLog({ name: `same ${index}` }, bytes)),
    );
    const failures = results.flatMap((result) =>
      result.status === 'rejected' ? [(result.reason as ServiceError).problem?.code] : [],
    );
    expect(failures).toEqual(['duplicate-log', 'duplicate-log', 'duplicate-log']);
    expect((await client.logs()).filter(({ name }) => name.startsWith('same'))).toHaveLength(1);
  });

  it('of several writes on one version one succeeds, and the others are refused', async () => {
    const { version } = await client.draft();
    const versions = Array.from({ length: 6 }, (_, index) => FENCES.replace('block when', `block ${410 + index} when`));
    const results = await Promise.allSettled(
      versions.map((text) => client.importFences(sources(text), false, version)),
    );
    const failures = results.flatMap((result) =>
      result.status === 'rejected' ? [(result.reason as ServiceError).problem?.code] : [],
    );
    expect(failures).toEqual(Array(5).fill('edit-conflict'));
    const { fences } = await client.draft();
    expect(fences[0]!.rules.map(({ name }) => name)).toEqual(['staff', 'login']);
    expect(fences[0]!.rules[1]!.sentence).toMatch(/^Block with 41[0-5] when/);
  });

  it('replays of several logs have separate results', async () => {
    await importInto(client, sources(FENCES));
    const counts = [10, 200, 3000];
    const logs = await Promise.all(
      counts.map((count) =>
        client.importLog(
          { name: `log of ${count}` },
          bytesOf(
            Array.from(
              { length: count },
              (_, index) => `${logLine('198.18.9.9', index % 2 ? '/login' : `/${count}`, index % 60)}\n`,
            ).join(''),
          ),
        ),
      ),
    );
    const replays = await Promise.all(logs.map(({ id }) => client.startReplay({ logId: id })));
    const ends = await Promise.all(replays.map(({ id }) => client.followReplay(id, () => undefined)));
    expect(ends.map(({ state, requestsDone }) => [state, requestsDone])).toEqual(
      counts.map((count) => ['done', count]),
    );
    const blocked = await Promise.all(
      replays.map(({ id }) => client.decisions(id, { offset: 0, limit: 1, where: 'rule = desk/login' })),
    );
    expect(blocked.map(({ total }) => total)).toEqual(counts.map((count) => count / 2));
  });
});

describe('a log of several chunks', () => {
  it('comes in as gzip, is filtered across chunks, and pages of the filter join without gap or overlap', async () => {
    const text = Array.from(
      { length: 150_000 },
      (_, index) =>
        `${logLine(`198.18.4.${index % 200}`, index % 1000 === 0 ? '/rare' : `/${index % 50}`, index % 60)}\n`,
    ).join('');
    const { id } = await replayOnService(client, sources(FENCES), {
      name: 'large.gz',
      bytes: new Uint8Array(gzipSync(text)),
    });
    const lines: number[] = [];
    for (let offset = 0; ; offset += 40) {
      const page = await client.decisions(id, { offset, limit: 40, where: 'path = /rare and tag = staff' });
      expect(page.total).toBe(150);
      if (page.rows.length === 0) break;
      lines.push(...page.rows.map((row) => row.line));
    }
    expect(lines).toEqual(Array.from({ length: 150 }, (_, index) => index * 1000 + 1));
    expect((await client.decisions(id, { offset: 0, limit: 5, where: 'path = /rare', outcome: 'blocked' })).total).toBe(
      0,
    );
  });
});
