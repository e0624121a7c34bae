/** The commands for reference data, as whole outputs; and what happens to an import when the service dies. */
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { jadefence } from './jadefence.js';
import { importInto, importTable, startTestService, type TestService } from './service.js';
import { startFileServer, type FileServer } from './fake-servers.js';

const FENCES = `
gate wifi outbound { clients 198.18.0.0/16 fences visitors otherwise allow }
fence visitors enforce { rule home block when country = SE }
application archive "Picture archive" { category reference risk low ports tcp/443 signature when host = pictures.example }
`;

let service: TestService;
let files: FileServer;
beforeAll(async () => {
  files = await startFileServer();
});
beforeEach(async () => {
  service = await startTestService({ JADEFENCE_FETCH_PRIVATE: 'yes' });
  await importInto(service.client, { fenceFiles: [{ path: 'f.fence', text: FENCES }], namedFiles: [] });
});
afterEach(() => service.stop());
afterAll(() => files.close());

/** A log of one request that is judged by the draft. @returns the replay */
async function replayOne(): Promise<number> {
  const record = {
    'timestamp': '2026-10-12T10:00:00Z',
    'client.address': '198.18.4.7',
    'url.full': 'https://x.example/',
  };
  const { id: logId } = await service.client.importLog(
    { name: 'one' },
    new Uint8Array(Buffer.from(`${JSON.stringify(record)}\n`)),
  );
  const { id } = await service.client.startReplay({ logId, against: 'draft' });
  await service.client.followReplay(id, () => undefined);
  return id;
}

const file = (name: string, text: string): string => {
  const path = join(service.folder, name);
  mkdirSync(join(path, '..'), { recursive: true });
  writeFileSync(path, text);
  return path;
};

/** What a command prints, with the times and the hashes that differ from run to run taken out. */
async function run(...args: string[]): Promise<string> {
  const { stdout, stderr, exitCode } = await jadefence(args, {
    env: { JADEFENCE_URL: service.address, JADEFENCE_TOKEN: service.token },
  });
  const shown = `${stdout}${stderr}${exitCode === 0 ? '' : `exit ${exitCode}\n`}`;
  return shown
    .replaceAll(files.url, 'URL')
    .replace(/\d{4}-\d\d-\d\d[ T]\d\d:\d\d/g, 'DATE')
    .replace(/SHA-256 [0-9a-f]{12}/g, 'SHA-256 x')
    .replaceAll(`${service.folder}/`, '');
}

describe('country tables', () => {
  it('are imported, listed, shown, gone back to and corrected', async () => {
    expect(await run('country', 'list')).toBe(
      'There is no country table yet. Import one with jadefence country import FILE.\n',
    );
    expect(await run('country', 'lookup', '198.18.4.7')).toBe(
      'There is no country table yet.\nImport one with jadefence country import FILE.\nexit 2\n',
    );
    const text = file('one.csv', '198.18.0.0/17,NO\n198.18.128.0/17,SE\n2001:db8::/32,NO\n');
    const two = file('two.csv', '198.18.0.0/17,NO\n198.18.128.0/17,DK\n2001:db8::/33,NO\n');
    expect(await run('country', 'import', text)).toBe('The country table is now one.csv with 3 ranges.\n');
    // Half of IPv6 is gone.
    expect(await run('country', 'import', two, '--no-replay')).toBe(
      'Dataset 2, two.csv with 3 ranges, waits for a yes.\nIt holds 50% fewer IPv6 addresses than what is active.\nUse it anyway with: jadefence country use 2 --yes\nexit 1\n',
    );
    expect(await run('country', 'use', '2')).toBe(
      'Nothing was changed: confirmation needs a terminal.\nPass --yes to confirm.\nexit 2\n',
    );
    expect(await run('country', 'use', '2', '--yes')).toBe(
      'The country table two.csv (dataset 2) is now the active one.\n',
    );
    expect(await run('country', 'list')).toBe(
      [
        'number  table    ranges  imported (UTC)    state   effect',
        '     2  two.csv       3  DATE  active',
        '     1  one.csv       3  DATE  kept',
        '',
      ].join('\n'),
    );
    expect(await run('country', 'use', '1', '--yes')).toContain('(dataset 1) is now the active one.');
    expect(await run('country', 'show')).toBe(
      [
        'code  country  ranges  IPv4 addresses  IPv6 addresses',
        'NO    Norway        2          32,768            2^96',
        'SE    Sweden        1          32,768               0',
        'one.csv, 3 ranges, SHA-256 x',
        'fresh: It was imported less than a day ago.',
        '',
      ].join('\n'),
    );
    expect(await run('country', 'correct', '198.18.4.0/24', 'DK', '--reason', 'A desk')).toBe(
      'range          country  reason  by     at\n198.18.4.0/24  DK       A desk  admin  DATE\n',
    );
    expect(await run('country', 'lookup', '198.18.4.7')).toBe(
      [
        'address      198.18.4.7',
        'country      DK (Denmark)',
        'because      198.18.4.0/24 is DK by a correction',
        'goes out at  wifi',
        '',
      ].join('\n'),
    );
    expect(await run('country', 'correct', '198.18.4.0/24')).toBe(
      'There is no correction for 198.18.4.0/24.\nGive a country such as NO, or --remove.\nexit 2\n',
    );
    expect(await run('country', 'correct', '198.18.4.0/24', '--remove')).toBe('There is no correction.\n');
    expect(await run('country', 'correct', '198.18.4.0/24', '--remove')).toBe(
      'There is no correction of 198.18.4.0/24.\nexit 2\n',
    );
  });

  it('are joined from several files, and refreshed from where they come from', async () => {
    const parts = ['a.txt', 'b.txt'].map((name, index) =>
      file(name, `registry|NO|ipv4|198.18.${index * 128}.0|32768|20200101|allocated\n`),
    );
    const joined = await run('country', 'import', ...parts, '--yes');
    expect(joined).toBe('The country table is now a.txt and 1 more with 2 ranges.\n');
    expect(await run('country', 'refresh')).toBe(
      'No source is set for the country table.\nSet its source first.\nexit 2\n',
    );
    files.serve('/table.csv', '198.18.0.0/17,NO\n198.18.128.0/17,SE\n');
    expect(await run('country', 'refresh', '--from', `${files.url}/table.csv`, '--every', '6h')).toBe(
      'The country table is refreshed from URL/table.csv every 6h. Refresh it now with the same command without --from.\n',
    );
    expect(await run('country', 'refresh')).toBe('The country table is now table.csv with 2 ranges.\n');
    expect(await run('country', 'refresh')).toBe('The country table has not changed.\n');
    files.serve('/table.csv', '<html>', 'text/html');
    expect(await run('country', 'refresh')).toBe(
      'URL/table.csv cannot be used: it answered a web page, not a file.\nexit 2\n',
    );
    expect(await run('country', 'show', '--output', 'ndjson')).toContain('"country":"SE"');
    expect(await run('country', 'refresh', '--stop')).toBe('The country table is refreshed no more.\n');
    expect(await run('country', 'refresh', '--every', '6h')).toBe(
      '--every goes with --from.\nAdd --from with its source.\nexit 2\n',
    );
    expect(await run('country', 'import', join(service.folder, 'nowhere.csv'))).toBe(
      'The country table "nowhere.csv" cannot be read (ENOENT).\nGive a file or a folder.\nexit 2\n',
    );
  });
});

describe('category feeds and datasets', () => {
  it('come from a folder, are put in order, and removed', async () => {
    file('lists/gambling/domains', 'stakes.example\n');
    file('lists/news.txt', 'daily.example\n');
    expect(await run('category', 'import', join(service.folder, 'lists'), '--name', 'lists')).toBe(
      'The category feed lists has 2 entries.\n',
    );
    await run('category', 'import', file('own.csv', 'daily.example,games\n'));
    expect(await run('category', 'order', 'own.csv', 'lists')).toBe('Feed order: own.csv, lists.\n');
    expect(await run('category', 'order', 'own.csv')).toBe(
      'The feeds are own.csv, lists; expected each of them once.\nexit 2\n',
    );
    expect(await run('category', 'list')).toBe(
      'category  entries  feeds\ngambling        1  lists\ngames           1  own.csv\nnews            1  lists\n',
    );
    expect(await run('category', 'lookup', 'http://www.daily.example/today?x=1')).toBe(
      [
        'site        http://www.daily.example/today?x=1',
        'categories  games',
        'because     by own.csv, entry daily.example',
        'site        daily.example',
        'own.csv     games by daily.example',
        'lists       news by daily.example',
        '',
      ].join('\n'),
    );
    expect(await run('category', 'remove', 'own.csv')).toBe('Removed category feed own.csv.\n');
    expect(await run('category', 'remove', 'own.csv')).toBe('There is no category feed "own.csv".\nexit 2\n');
  });

  it('of lists are imported, used and deleted; what depends on a deleted one cannot be repeated', async () => {
    const touts = file('touts.txt', 'tout.example\n0.0.0.0 resale.example\n');
    expect(await run('dataset', 'import', 'touts', touts, '--kind', 'domains')).toBe(
      'The dataset touts has 2 entries.\n',
    );
    const { version } = await service.client.draft();
    await service.client.edit([{ kind: 'put', text: 'list touts domains from dataset touts' }], version);
    expect(await run('list', 'show', 'touts')).toBe(
      'list touts of domains\n  the 2 domains of the dataset touts\nused nowhere\n',
    );
    expect(await run('list', 'lookup', 'touts', 'www.tout.example')).toBe(
      'www.tout.example is in touts, as tout.example.\n',
    );
    expect(await run('dataset', 'import', 'Touts', touts, '--kind', 'domains')).toBe(
      '"Touts" is no name of a dataset.\nWrite small letters, digits and hyphens, since lists name it.\nexit 2\n',
    );
    await importTable(service.client, Buffer.from('198.18.0.0/17,NO\n'), 'early.csv');
    const early = (await service.client.datasets('country')).find(({ isActive }) => isActive)!;
    await importTable(service.client, Buffer.from('198.18.0.0/17,NO\n198.18.128.0/17,SE\n'), 'table.csv');
    expect(await run('dataset', 'delete', String(early.id), '--yes')).toBe(`Dataset ${early.id} is deleted.\n`);
    const active = (await service.client.datasets('country')).find(({ isActive }) => isActive)!;
    expect(await run('dataset', 'delete', String(active.id), '--yes')).toBe(
      `Dataset ${active.id} (table.csv) is the active one.\nUse another one first.\nexit 2\n`,
    );
    const id = await replayOne();
    await importTable(service.client, Buffer.from('198.18.0.0/15,NO\n'), 'other.csv');
    // What was opened before is in memory no more.
    const client = await service.killAndRestart();
    expect(await run('dataset', 'delete', String(active.id), '--yes')).toBe(`Dataset ${active.id} is deleted.\n`);
    expect((await client.replay(id)).countryTable!.name).toBe('table.csv');
    const decisions = await run('replay', 'decisions', String(id));
    expect(decisions).toMatch(/Dataset \d+, which this depends on, was deleted\.\nStart a new replay/);
  });

  it('whose replay is cut off by the end of the service are replayed and used at its next start', async () => {
    await importTable(service.client, Buffer.from('198.18.0.0/15,NO\n'), 'early.csv');
    await replayOne();
    const { id } = await service.client.importDataset(
      { kind: 'country', name: 'late.csv', confirm: true },
      new Uint8Array(Buffer.from('198.18.0.0/15,SE\n')),
    );
    const client = await service.killAndRestart();
    const settled = await client.settleDataset(id);
    expect([settled.isActive, settled.effect?.changed]).toEqual([true, 1]);
  });
});

describe('applications', () => {
  it('are listed by what they are, shown, and brought in from YAML', async () => {
    expect(await run('application', 'list', '--risk', 'low')).toBe(
      'application  title            category   risk  ports    over  needs\narchive      Picture archive  reference  low   tcp/443\n',
    );
    expect(await run('application', 'list', '--search', 'nothing')).toBe('No matching applications.\n');
    expect(await run('application', 'show', 'http2')).toBe(
      [
        'application  http2',
        'title        HTTP/2 without TLS',
        'over         http',
        'recognised   when payload is http2',
        'defined      built in',
        'used by      nothing',
        '',
      ].join('\n'),
    );
    expect(await run('application', 'show', 'nothing')).toContain('There is no application "nothing".');
    const yaml = 'applications:\n  - name: desk\n    needs: [archive]\n    signatures: [host = desk.example]\n';
    expect(await run('application', 'import', file('more.yaml', yaml), '--yes')).toContain(
      'The draft has 1 changes more.',
    );
    expect(await run('application', 'show', 'archive')).toContain('used by      application desk');
    expect(await run('application', 'import', file('bad.yaml', 'applications:\n  - name: x\n    riks: low\n'))).toBe(
      'bad.yaml: application 1 (x): no key is named "riks"; expected category, risk, ports, needs, over, signatures\nexit 2\n',
    );
    expect(await run('application', 'identify')).toBe(
      'The traffic is not described.\nGive a host, URL, port or the first bytes.\nexit 2\n',
    );
    expect(await run('application', 'identify', '--payload', 'xyz')).toContain(
      'expected bytes as pairs of hexadecimal digits',
    );
  });

  it('are recognised by the first bytes of traffic', async () => {
    const identify = (payload: string) =>
      run('application', 'identify', '--port', '53', '--transport', 'udp', '--payload', payload);
    // A query of the domain name system, then something else on its port.
    const query = '12 34 01 00 00 01 00 00 00 00 00 00 01 61 07 65 78 61 6d 70 6c 65 00 00 01 00 01';
    expect(await identify(query)).toMatch(/^recognised as {2}dns\n/);
    expect(await identify('de ad be ef')).toMatch(/^recognised as {2}unrecognised\n/);
  });
});

describe('completion', () => {
  it('knows codes of countries, applications and feeds', async () => {
    await importTable(service.client, Buffer.from('198.18.0.0/15,NO\n'));
    await run('category', 'import', file('lists.csv', 'daily.example,news\n'), '--name', 'lists');
    expect(await run('complete', '--', 'country', 'correct', '198.18.0.0/16', 'N')).toContain('NO\n');
    expect(await run('complete', '--', 'application', 'show', 'arch')).toBe('archive\n');
    expect(await run('complete', '--', 'category', 'remove', 'li')).toBe('lists\n');
    expect(await run('complete', '--', 'dataset', 'import', 'x', '--kind', 'd')).toBe('domains\n');
  });
});

describe('judging with category feeds of many shapes', () => {
  it('takes a file of one category, a folder, and reports what cannot be used', async () => {
    const fences = file(
      'try.fence',
      'gate all inbound { hosts "example" fences f otherwise allow }\nfence f enforce { rule bad block when category in gambling, ads }',
    );
    file('feeds/gambling/domains', 'stakes.example\n');
    const ads = file('ads.hosts', '0.0.0.0 banner.example\nno site\n');
    const outcome = async (host: string, ...feeds: string[]): Promise<string> =>
      (
        await run('try', '--client', '198.18.4.7', '--url', host, '--fences', fences, '--category-feed', ...feeds)
      ).replace(/^GET .*\n/, '');
    const shown = await outcome('x.stakes.example', join(service.folder, 'feeds'), `ads=${ads}`);
    expect(shown).toContain('ads.hosts:2: expected one domain or URL, found "no site"; the line is left out');
    expect(shown).toContain('category gambling (from feeds, entry stakes.example)');
    expect(await outcome('banner.example', join(service.folder, 'feeds'), `ads=${ads}`)).toContain('bad: matched');
    expect(await outcome('banner.example', ads)).toContain('The category feed "ads.hosts" has no usable line.');
    expect(await run('try', '--client', '198.18.4.7', '--url', 'a.example', '--category-feed', ads)).toBe(
      '--category-feed goes with --fences.\nThe service judges with its own rules and reference data.\nexit 2\n',
    );
  });
});
