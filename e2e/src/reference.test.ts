import { mkdirSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { DatasetInfo } from '@jadefence/contract';
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { jadefence } from './jadefence.js';
import { importInto, startTestService, type TestService } from './service.js';
import { startFileServer, startResolver, type FileServer } from './fake-servers.js';

const TABLE = '198.18.0.0/16,NO\n198.19.0.0/16,SE\n2001:db8::/32,NO\n203.0.113.0/24,DK\n192.0.2.0/24,FI\n';
const FENCES = `
list home countries { NO }
list office addresses { 198.18.4.0/24 }
list touts domains from dataset touts
gate shop inbound { hosts shop.example fences house otherwise allow }
gate wifi outbound { clients 198.18.0.0/16 fences visitors otherwise allow }
fence house enforce { rule abroad block when country not in home }
fence visitors enforce {
  rule games block when category in games
  rule touts block when host in touts
}
`;
const LOG = ['198.18.4.7', '198.18.9.9', '198.19.1.1']
  .map(
    (client, index) =>
      `shop.example ${client} - - [12/Oct/2026:10:00:0${index} +0000] "GET / HTTP/1.1" 200 5 "-" "-"\n`,
  )
  .join('');

let service: TestService;
let files: FileServer;
let resolver: Awaited<ReturnType<typeof startResolver>>;
let folder: string;

beforeAll(async () => {
  files = await startFileServer();
  resolver = await startResolver({ 'northern.example': '198.19.7.7' });
  folder = `/tmp/jadefence-reference-${process.pid}`;
  mkdirSync(folder, { recursive: true });
});
beforeEach(async () => {
  service = await startTestService({
    JADEFENCE_FETCH_PRIVATE: 'yes',
    JADEFENCE_RESOLVER: resolver.address,
    JADEFENCE_REFERENCE_FOLDER: folder,
  });
});
afterEach(async () => {
  await service.stop();
  files.reset();
});
afterAll(async () => {
  await files.close();
  await resolver.close();
});

const bytesOf = (text: string): Uint8Array<ArrayBuffer> => new Uint8Array(Buffer.from(text));
const importDataset = async (
  query: Parameters<TestService['client']['importDataset']>[0],
  text: string,
): Promise<DatasetInfo> => {
  const { id } = await service.client.importDataset(query, bytesOf(text));
  return service.client.settleDataset(id);
};
const problemOf = (promise: Promise<unknown>): Promise<string> =>
  promise.then(
    () => 'fine',
    (error: { message: string; problem?: { code: string } }) => `${error.problem?.code}: ${error.message}`,
  );
const run = (...args: string[]) =>
  jadefence(args, { env: { JADEFENCE_URL: service.address, JADEFENCE_TOKEN: service.token } });

const importFences = () =>
  importInto(service.client, { fenceFiles: [{ path: 'f.fence', text: FENCES }], namedFiles: [] });

/** A country table, a feed, a dataset and the fences that look at them, published, and a log. */
async function setUp(): Promise<void> {
  await importDataset({ kind: 'country', name: 'one.csv' }, TABLE);
  await importDataset({ kind: 'category', name: 'ours' }, 'play.example,games\n');
  await importDataset({ kind: 'list', name: 'touts', listKind: 'domains' }, 'tout.example\nresale.example\n');
  const { version } = await importFences();
  await service.client.publish({ note: 'First' }, version);
  await service.client.importLog({ name: 'day' }, bytesOf(LOG));
}

describe('reference data that is new', () => {
  it('is used at once where there is nothing to replay, and lists may take entries from it before it is there', async () => {
    expect((await importDataset({ kind: 'country', name: 'one.csv' }, TABLE)).isActive).toBe(true);
    expect((await importDataset({ kind: 'category', name: 'ours' }, 'play.example,games\n')).isActive).toBe(true);
    const draft = await importFences();
    expect(draft.diagnostics.map(({ message, hint }) => `${message} ${hint}`)).toEqual([
      'No dataset is named "touts". Import it with jadefence dataset import.',
    ]);
    await importDataset({ kind: 'list', name: 'touts', listKind: 'domains' }, 'tout.example\nresale.example\n');
    expect((await service.client.draft()).diagnostics).toEqual([]);
  });
});

describe('reference data', () => {
  beforeEach(setUp);

  it('is pinned by revisions: a new dataset changes the draft, not what is published', async () => {
    const use = await importDataset(
      { kind: 'list', name: 'touts', listKind: 'domains', confirm: true },
      'other.example\n',
    );
    expect(use.isActive).toBe(true);
    const { changes } = await service.client.draftChanges();
    expect(changes.map(({ summary, details }) => [summary, details[0]!.replace(/[0-9a-f]{12}/g, 'x')])).toEqual([
      ['Dataset touts was changed.', 'Content changed from 2 domains (SHA-256 x) to 1 domain (SHA-256 x).'],
    ]);
    const outcomeOf = async (host: string, against: 'draft' | number): Promise<string> =>
      (await service.client.tryRequest({ client: '198.18.4.7', url: `http://${host}/`, against })).decision.outcome;
    expect([
      await outcomeOf('www.tout.example', 1),
      await outcomeOf('www.tout.example', 'draft'),
      await outcomeOf('other.example', 'draft'),
    ]).toEqual(['blocked', 'allowed', 'blocked']);
    const { isIn, entry } = await service.client.lookupInList('touts', 'www.other.example');
    expect([isIn, entry]).toEqual([true, 'other.example']);
    expect(await problemOf(service.client.deleteDataset(3))).toBe(
      'dataset-in-use: Dataset 3 (touts) is part of revision 1.',
    );
  });

  it('is replayed before it becomes active, and the decisions that change are counted', async () => {
    const moved = TABLE.replace('198.18.0.0/16,NO', '198.18.0.0/16,NO\n198.18.9.0/24,DK');
    const table = await importDataset({ kind: 'country', name: 'two.csv' }, moved);
    expect(table.isActive).toBe(true);
    expect(table.effect).toMatchObject({
      logName: 'day',
      revision: 1,
      requests: 3,
      changed: 1,
      newlyStopped: 1,
      newlyAllowed: 0,
    });
    expect(table.problems.map(({ line }) => line)).toEqual([2]);
    const { countryTable, categoryFeeds } = await service.client.replay(table.effect!.replayId);
    expect([countryTable!.name, categoryFeeds.map(({ name }) => name)]).toEqual(['two.csv', ['ours']]);
  });

  it('that is much smaller waits for a yes, and what was before can be gone back to', async () => {
    const small = await importDataset({ kind: 'country', name: 'small.csv' }, '198.18.0.0/16,NO\n');
    expect([small.isActive, small.waitsFor]).toEqual([false, 'It holds 80% fewer entries than what is active.']);
    expect(await problemOf(service.client.activateDataset(small.id, false))).toBe(
      'confirmation-required: It holds 80% fewer entries than what is active.',
    );
    expect((await service.client.activateDataset(small.id, true)).isActive).toBe(true);
    expect((await service.client.activateDataset(1, true)).isActive).toBe(true);
    expect((await service.client.countries()).table!.name).toBe('one.csv');
  });

  it('can be corrected, and a lookup reports the evidence and the affected rules', async () => {
    await service.client.putCorrection('country', { key: '198.18.9.9/24', value: 'se', reason: 'A desk abroad' });
    const [answer] = (await service.client.lookupCountry('198.18.9.9')).addresses;
    expect(answer).toMatchObject({
      country: 'SE',
      evidence: '198.18.9.0/24 is SE by a correction',
      isCorrected: true,
      gates: ['wifi'],
      rules: [{ rule: 'house/abroad', gates: ['shop'], comparison: 'country not in home' }],
    });
    const { outcome } = (await service.client.tryRequest({ client: '198.18.9.9', url: 'https://shop.example/' }))
      .decision;
    expect(outcome).toBe('blocked');
    await service.client.removeCorrection('country', '198.18.9.0/24');
    const [office] = (await service.client.lookupCountry('198.18.4.7')).addresses;
    expect(office!.lists).toEqual([
      { list: 'home', entry: 'NO', through: [] },
      { list: 'office', entry: '198.18.4.0/24', through: [] },
    ]);
    expect(await problemOf(service.client.putCorrection('country', { key: 'here', value: 'NO' }))).toBe(
      'bad-input: "here" is no range of addresses.',
    );
  });

  it('is looked up by name, since a site is not where its name suggests', async () => {
    const { addresses } = await service.client.lookupCountry('northern.example');
    expect(addresses.map(({ address, country }) => [address, country])).toEqual([['198.19.7.7', 'SE']]);
    expect(await problemOf(service.client.lookupCountry('nowhere.example'))).toBe(
      'not-found: nowhere.example does not resolve (ENOTFOUND).',
    );
    expect(await problemOf(service.client.lookupCountry('not a name'))).toBe(
      'bad-input: "not a name" is neither an address nor a name.',
    );
  });

  it('of categories uses the feeds in order, corrections first', async () => {
    await importDataset(
      { kind: 'category', name: 'theirs', category: 'shopping' },
      'play.example\nshop.example/sale\n',
    );
    const answersOf = async (site: string): Promise<[string, string[]]> => {
      const { categories, answers } = await service.client.lookupCategory(site);
      return [categories.join(), answers.map(({ feed, entry }) => `${feed} ${entry}`)];
    };
    expect(await answersOf('www.play.example')).toEqual(['games', ['ours play.example', 'theirs play.example']]);
    await service.client.orderFeeds(['theirs', 'ours']);
    expect(await answersOf('www.play.example')).toEqual(['shopping', ['theirs play.example', 'ours play.example']]);
    await service.client.putCorrection('category', { key: 'https://PLAY.example', value: 'news, sport' });
    expect((await answersOf('play.example'))[0]).toBe('news,sport');
    expect((await service.client.lookupCategory('other.example')).evidence).toBe('no feed knows it');
    await service.client.removeCorrection('category', 'play.example');
    await service.client.removeFeed('theirs');
    expect((await service.client.categories()).categories.map(({ name }) => name)).toEqual(['games']);
  });

  it('that a rule names but no feed knows keeps the draft from judging, not what is published', async () => {
    await importDataset({ kind: 'category', name: 'ours', confirm: true, replay: false }, 'bank.example,finance\n');
    expect((await service.client.draft()).diagnostics.map(({ message }) => message)).toEqual([
      'No category is named "games".',
    ]);
    expect(
      (await service.client.tryRequest({ client: '198.18.4.7', url: 'https://x.example/', against: 1 })).decision
        .outcome,
    ).toBe('allowed');
    await importDataset({ kind: 'category', name: 'ours', confirm: true, replay: false }, 'play.example,games\n');
  });

  it('that cannot be used at all leaves what is active as it was', async () => {
    const refusal = (text: string): Promise<string> =>
      problemOf(service.client.importDataset({ kind: 'country', name: 'bad.csv' }, bytesOf(text)));
    expect([await refusal('198.18.9.0,198.18.8.0,NO\n'), await refusal('<html><body>')]).toEqual([
      'bad-reference-data: The file has no usable line; everything is as it was.',
      'bad-reference-data: The file is a web page, not a country table.',
    ]);
    expect((await service.client.countries()).table!.name).toBe('one.csv');
  });

  it('of a log is counted by country', async () => {
    const [log] = await service.client.logs();
    const { countries, requests } = await service.client.countries(log!.id);
    expect([requests, countries.map(({ country, requests: count }) => `${country} ${count}`)]).toEqual([
      3,
      ['DK 0', 'FI 0', 'NO 2', 'SE 1'],
    ]);
  });
});

describe('a refresh', () => {
  beforeEach(setUp);

  const refresh = (): Promise<DatasetInfo | null> => service.client.refresh('country', '');
  const from = (...locations: string[]) =>
    service.client.putSource({ kind: 'country', name: '', locations, everyMinutes: 60 });

  it('fetches only what has changed', async () => {
    files.serve('/table.csv', TABLE);
    await from(`${files.url}/table.csv`);
    // The same bytes are active already, so nothing is imported.
    expect((await refresh())!.name).toBe('one.csv');
    expect(await refresh()).toBeNull();
    files.serve('/table.csv', `${TABLE}198.51.100.0/24,DE\n`);
    const changed = await service.client.settleDataset((await refresh())!.id);
    expect([changed.name, changed.isActive, changed.numEntries, changed.effect!.changed]).toEqual([
      'table.csv',
      true,
      6,
      0,
    ]);
    expect(files.seen).toEqual(['GET /table.csv', 'GET /table.csv if-none-match', 'GET /table.csv if-none-match']);
    expect((await service.client.countries()).freshness).toEqual({
      state: 'fresh',
      reason: 'It was found current less than a day ago.',
    });
  });

  it('joins several files, as registries give them', async () => {
    files.serve(
      '/a',
      'registry|NO|ipv4|198.18.0.0|65536|20200101|allocated\nregistry|NO|ipv6|2001:db8::|32|20200101|allocated',
    );
    files.serve('/b', '198.19.0.0/16,SE\n203.0.113.0/24,DK\n192.0.2.0/24,FI\n198.51.100.0/24,DE\n');
    await from(`${files.url}/a`, `${files.url}/b`);
    const joined = await service.client.settleDataset((await refresh())!.id);
    expect([joined.name, joined.numEntries, joined.isActive]).toEqual(['a and b', 6, true]);
  });

  it('comes from a file below the folder that is set, and from nowhere else on the disk', async () => {
    writeFileSync(join(folder, 'table.csv'), `${TABLE}198.51.100.0/24,PL\n`);
    await from('table.csv');
    expect((await service.client.settleDataset((await refresh())!.id)).isActive).toBe(true);
    expect(await refresh()).toBeNull();
    utimesSync(join(folder, 'table.csv'), 1, 1);
    expect((await refresh())!.isActive).toBe(true);
    expect(await problemOf(from('../etc/passwd'))).toMatch(/^bad-input: There is no file|^bad-input: ".*" is outside/);
    expect(await problemOf(from('/etc/passwd'))).toBe(
      'bad-input: "/etc/passwd" is outside the service\'s folder for reference data.',
    );
  });

  it.each<[string, () => void, string]>([
    [
      'a web page',
      () => files.serve('/x', '<html>', 'text/html; charset=utf-8'),
      'it answered a web page, not a file.',
    ],
    ['an error', () => files.answer('/x', (_, response) => void response.writeHead(503).end()), 'it answered 503.'],
    [
      'redirects without end',
      () => files.answer('/x', (_, response) => void response.writeHead(302, { location: '/x' }).end()),
      'it was redirected more than 5 times.',
    ],
    [
      'another scheme',
      () => files.answer('/x', (_, response) => void response.writeHead(302, { location: 'file:///etc/passwd' }).end()),
      'only http and https are fetched.',
    ],
    [
      'a cut',
      () =>
        files.answer('/x', (_, response) => {
          response.writeHead(200, { 'content-length': '100' });
          response.write('198.18', () => response.destroy());
        }),
      'ECONNRESET.',
    ],
  ])('that meets %s fails with the reason, and leaves the active dataset unchanged', async (_, prepare, why) => {
    const before = (await service.client.countries()).table!.id;
    prepare();
    await from(`${files.url}/x`);
    expect(await problemOf(refresh())).toContain(why);
    const { table, freshness } = await service.client.countries();
    expect([table!.id, freshness.state]).toEqual([before, 'failed']);
    expect(freshness.reason).toContain(why);
    await service.client.removeSource('country', '');
  });
});

describe('on the command line, reference data', () => {
  beforeEach(setUp);

  it('is imported, shown and looked up', async () => {
    writeFileSync(join(service.folder, 'sites.txt'), 'stakes.example\nnot a site\n');
    const imported = await run(
      'category',
      'import',
      join(service.folder, 'sites.txt'),
      '--name',
      'stakes',
      '--category',
      'gambling',
    );
    expect([imported.stdout, imported.stderr, imported.exitCode]).toEqual([
      'The category feed stakes has 1 entry. It changes none of the 3 decisions of day.\n',
      'The latest log is replayed with it.\nline 2: expected one domain or URL, found "not a site"\n1 line is left out.\n',
      0,
    ]);
    const looked = await run('category', 'lookup', 'www.stakes.example');
    expect(looked.stdout).toBe(
      [
        'site        www.stakes.example',
        'categories  gambling',
        'because     by stakes, entry stakes.example',
        'site        stakes.example',
        'stakes      gambling by stakes.example',
        '',
      ].join('\n'),
    );
    const shown = await run('country', 'show', '--log', 'day', '--output', 'csv');
    expect(shown.stdout.split('\n').slice(0, 2)).toEqual([
      'code,country,ranges,IPv4 addresses,IPv6 addresses,requests',
      'DK,Denmark,1,256,0,0',
    ]);
  });

  it('that waits for a yes ends the command with 1', async () => {
    writeFileSync(join(service.folder, 'small.csv'), '198.18.0.0/16,NO\n');
    const { stdout, stderr, exitCode } = await run('country', 'import', join(service.folder, 'small.csv'));
    expect(stdout).toMatch(
      /^Dataset \d+, small.csv with 1 range, waits for a yes. It changes none of the 3 decisions of day.\n$/,
    );
    expect([stderr.split('\n')[1], exitCode]).toEqual(['It holds 80% fewer entries than what is active.', 1]);
  });

  it('keeps passphrases as hashes, and reports which are requested', async () => {
    const set = await jadefence(['passphrase', 'set', 'door'], {
      env: { JADEFENCE_URL: service.address, JADEFENCE_TOKEN: service.token },
      input: 'open sesame\n',
    });
    expect([set.stdout, set.exitCode]).toEqual(['The passphrase door is set.\n', 0]);
    const { version } = await service.client.draft();
    const text = 'rule door passphrase door when path under /door';
    await service.client.edit([{ kind: 'add-rule', fence: 'house', text, position: { at: 'bottom' } }], version);
    expect(await service.client.passphrases()).toMatchObject([
      { name: 'door', isSet: true, usedBy: ['rule house/door'] },
    ]);
    expect(await problemOf(service.client.removePassphrase('door'))).toBe(
      'part-in-use: The passphrase door is requested by rule house/door.',
    );
    const { entries } = await service.client.audit({ offset: 0, limit: 5 });
    expect(JSON.stringify(entries)).not.toContain('sesame');
  });
});
