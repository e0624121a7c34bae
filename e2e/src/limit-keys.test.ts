import { afterAll, beforeAll, expect, it } from 'vitest';
import { importInto, replayOnService, startTestService, type TestService } from './service.js';

const FENCES = `gate shop inbound { hosts shop.example fences desk otherwise allow }
fence desk enforce { rule pace limit 5 per 1h by client when path under /login }
`;
const lineOf = (client: number, path: string): string =>
  `shop.example 198.18.1.${client} - - [12/Oct/2026:10:00:00 +0000] "GET ${path} HTTP/1.1" 200 5 "-" "-"\n`;
const bytesOf = (text: string): Uint8Array<ArrayBuffer> => new Uint8Array(Buffer.from(text));

let service: TestService;
beforeAll(async () => {
  service = await startTestService({ JADEFENCE_MAX_LIMIT_KEYS: '2' });
});
afterAll(() => service.stop());

it('a replay whose rules keep too many keys alive fails with the fix; others continue', async () => {
  const { client } = service;
  const sources = { fenceFiles: [{ path: 'site.fence', text: FENCES }], namedFiles: [] };
  await importInto(client, sources);
  // The first chunk goes well, and the second fails.
  const lines = [lineOf(1, '/').repeat(66_000), ...[1, 2, 3].map((n) => lineOf(n, '/login'))];
  const many = await client.importLog({ name: 'many' }, bytesOf(lines.join('')));
  const { id } = await client.startReplay({ logId: many.id });
  const end = await client.followReplay(id, () => undefined);
  expect(end).toMatchObject({
    state: 'failed',
    failure: `Log ${many.id} cannot be judged: The rules keep more than 2 counters and holds alive at once. Count by fewer keys or over a shorter time.`,
  });
  const few = { name: 'few', bytes: bytesOf(lineOf(1, '/login') + lineOf(2, '/login') + lineOf(3, '/')) };
  const done = await replayOnService(client, sources, few);
  expect(done.state).toBe('done');
  const { breakdowns } = (await client.replayResult(done.id)).summary;
  expect(breakdowns.find(({ by }) => by === 'host')!.values).toMatchObject([{ value: 'shop.example', requests: 3 }]);
});
