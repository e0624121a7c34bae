/** Everything people do with rules between writing and publishing, through the command line and the service. */
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ServiceClient, type ServiceError } from '@jadefence/contract';
import type { Edit } from '@jadefence/core/edit';
import pg from 'pg';
import { importInto } from './service.js';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { FENCES, setUpDesk, type Desk } from './fixture.js';

let desk: Desk;
let client: ServiceClient;
async function openDesk(): Promise<void> {
  desk = await setUpDesk();
  client = new ServiceClient({ baseUrl: desk.service.address, token: desk.token });
}
/** Leaves what earlier tests did behind. */
async function openNewDesk(): Promise<void> {
  await desk.clear();
  await openDesk();
}

beforeAll(openDesk);
afterAll(() => desk.clear());

const done = (...args: string[]): Promise<string> => desk.done(...args);

async function refusal(
  promise: Promise<unknown>,
): Promise<{ code?: string; detail?: string; errors?: readonly unknown[] }> {
  return promise.then(
    () => ({}),
    (error: ServiceError) => error.problem ?? {},
  );
}

const edit = async (...edits: Edit[]) => client.edit(edits, (await client.draft()).version);

describe('a fence', () => {
  it('built by the command line comes out as the same fence that is written in a file', async () => {
    await desk.begin('gate shop inbound { hosts shop.example otherwise allow }');
    await done('list', 'create', 'team', 'addresses');
    await done('list', 'add', 'team', '198.18.4.0/24');
    await done('draft', 'put', 'fence desk enforce "Desk" { }');
    await done('rule', 'add', 'desk', 'rule login block when path under /login and not tag = staff');
    await done('rule', 'add', 'desk', 'rule staff tag staff when client in team', '--above', 'login');
    await done('gate', 'attach', 'shop', 'desk');
    const byCommand = await desk.exported('by-command');
    await desk.begin(
      'gate shop inbound { hosts shop.example fences desk otherwise allow }\nlist team addresses { 198.18.4.0/24 }\nfence desk enforce "Desk" { rule staff tag staff when client in team rule login block when path under /login and not tag = staff }',
    );
    expect(await desk.exported('by-file')).toEqual(byCommand);
    expect((await desk.run('fence', 'import', 'by-command', '--yes')).stdout).toContain('The draft is so already.');
  });
});

describe('two who write at once', () => {
  it('keep each their own rule, and the later of two on one rule gets its current state', async () => {
    await desk.begin();
    const { version } = await client.draft();
    const set = (rule: string, state: 'trial' | 'off') =>
      client.edit([{ kind: 'set-rule', fence: 'desk', rule, state }], version);
    await set('staff', 'trial');
    await set('login', 'trial');
    expect(await refusal(set('login', 'off'))).toMatchObject({
      status: 412,
      code: 'edit-conflict',
      errors: [
        {
          place: 'rule desk/login',
          message: expect.stringMatching(/^admin changed it at .+; it is now: rule login trial block when path under/),
        },
      ],
    });
    expect((await client.draft()).fences[0]!.rules.map(({ state }) => state)).toEqual(['trial', 'trial']);
    const untagged = await fetch(`${desk.service.address}/api/v1/draft/edits`, {
      method: 'POST',
      headers: { 'authorization': `Bearer ${desk.token}`, 'content-type': 'application/json' },
      body: JSON.stringify({ edits: [{ kind: 'remove-rule', fence: 'desk', rule: 'staff' }] }),
    });
    expect([untagged.status, ((await untagged.json()) as { code: string }).code]).toEqual([
      428,
      'precondition-required',
    ]);
  });
});

describe('publishing', () => {
  beforeEach(openNewDesk);

  it('makes numbered revisions, in part if the part is independent, and restores an older one at once', async () => {
    await desk.begin();
    expect(await done('publish', '--note', 'first')).toBe('Published revision 1.\n');
    expect((await desk.run('publish', '--note', 'again')).stderr).toContain('Nothing differs from revision 1.');
    await done('draft', 'put', 'schedule nights { mon-fri 22:00-06:00 }');
    await done('rule', 'replace', 'desk/login', 'rule login block 451 when path under /login during nights');
    await done('list', 'add', 'team', '198.18.5.0/24');
    const alone = await desk.run('publish', '--note', 'x', '--only', 'fence desk');
    expect([alone.exitCode, alone.stderr]).toEqual([2, expect.stringContaining('No schedule is named "nights".')]);
    await done('publish', '--note', 'second', '--only', 'fence desk', '--only', 'schedule nights');
    expect(await done('revision', 'diff', '1', '2')).toBe(
      [
        'From revision 1 to revision 2:',
        '~ Rule desk/login was changed.',
        '    Action changed from block with 403 to block with 451.',
        '    Condition changed from the path is under /login and the request is not tagged staff to the path is under /login.',
        '    Hours added: during nights.',
        '+ Schedule nights was added.',
        '    The schedule nights is Monday to Friday 22:00-06:00.',
        '',
      ].join('\n'),
    );
    expect((await client.draftChanges()).changes.map(({ summary, changedBy }) => [summary, changedBy])).toEqual([
      ['List team was changed.', 'admin'],
    ]);
    const draft = await client.draft();
    await done('revision', 'restore', '1', '--note', 'back');
    expect((await client.draft()).snapshot).toBe(draft.snapshot);
    const revisions = await client.revisions();
    expect(
      revisions.map(({ number, note, restoredFrom, isPublished }) => [number, note, restoredFrom, isPublished]),
    ).toEqual([
      [3, 'back', 1, true],
      [2, 'second', null, false],
      [1, 'first', null, false],
    ]);
    expect(revisions[0]!.snapshot).toBe(revisions[2]!.snapshot);
    expect(await done('revision', 'diff', '2', 'draft', '--text')).toContain(
      '+list team addresses { 198.18.4.0/24, 198.18.5.0/24 }',
    );
  });

  it('judges by what is published unless the draft is requested', async () => {
    const url = 'https://shop.example/login';
    const input = { client: '203.0.113.9', url, at: '2026-10-12T10:00:00Z' };
    await desk.begin();
    await done('publish', '--note', 'first');
    await done('draft', 'put', 'schedule nights { mon-fri 22:00-06:00 }');
    await done('rule', 'replace', 'desk/login', 'rule login block 451 when path under /login during nights');
    await done('publish', '--note', 'second');
    await done('revision', 'restore', '1', '--note', 'back');
    expect((await client.tryRequest(input)).decision.outcome).toBe('blocked');
    expect((await client.tryRequest({ ...input, against: 'draft' })).decision.outcome).toBe('allowed');
    expect((await client.tryRequest({ ...input, against: 2 })).fences[0]!.rules[1]!.verdict).toBe('out-of-hours');
    await done('log', 'import', 'day.log', '--name', 'day');
    expect((await client.startReplay({ logId: 1 })).revision).toBe(3);
    expect((await client.startReplay({ logId: 1, against: 'draft' })).revision).toBeNull();
    expect(await refusal(client.startReplay({ logId: 1, against: 9 }))).toMatchObject({ code: 'not-found' });
  });

  it('runs the expectations, and reports which are not met; forcing it is recorded', async () => {
    await desk.begin(`${FENCES}expect allowed from 203.0.113.9 to https://shop.example/login\n`);
    const ran = await desk.run('expect');
    expect([ran.exitCode, ran.stdout]).toEqual([
      1,
      'not met  A request from 203.0.113.9 to https://shop.example/login must be allowed.\n         It was blocked by rule desk/login, expected allowed. (draft.fence:14)\n',
    ]);
    expect((await desk.run('expect', '--output', 'junit')).stdout).toContain('<testsuites tests="1" failures="1">');
    const refused = await desk.run('publish', '--note', 'x');
    expect([refused.exitCode, refused.stderr]).toEqual([
      2,
      expect.stringContaining('1 expectation is not met, so nothing was published.'),
    ]);
    await done('publish', '--note', 'forced', '--force');
    expect((await client.revisions())[0]).toMatchObject({ note: 'forced', isForced: true });
    const [entry] = (await client.audit({ offset: 0, limit: 1 })).entries;
    expect(entry).toMatchObject({
      user: 'admin',
      what: 'revision.publish',
      detail: { unmet: [{ failure: 'It was blocked by rule desk/login, expected allowed.' }] },
    });
  });
});

describe('bad input', () => {
  it.each<[string, string[], string]>([
    ['a cyclic list', ['draft', 'put', 'list team addresses { team }'], 'List team contains itself'],
    [
      'a page that is missing',
      ['draft', 'put', 'page sorry "sorry.html"'],
      'Page sorry is kept in "sorry.html", which is not there.',
    ],
    ['an unknown zone', ['draft', 'put', 'zone Europe/Oslp'], 'Found "Europe/Oslp", expected a time zone'],
    ['deleting a used list', ['list', 'delete', 'team'], 'The list team is used by rule desk/staff.'],
    ['a rule with an error', ['rule', 'add', 'desk', 'rule x blok when always'], 'Did you mean "block"?'],
    ['a rule that is not there', ['rule', 'off', 'desk/gone'], 'Fence desk has no rule "gone"'],
    ['a taken name', ['rule', 'add', 'desk', 'rule login allow when always'], 'Fence desk has a rule "login" already.'],
    ['a list that is not there', ['list', 'add', 'gone', '198.18.1.1'], 'There is no list "gone"'],
    ['no place', ['rule', 'move', 'desk/login'], 'Expected one of --top, --bottom, --above NAME, --below NAME.'],
    ['a revision that is not there', ['revision', 'restore', '99'], 'There is no revision 99.'],
  ])('%s is refused with a clear message, and nothing is lost', async (_, args, message) => {
    await desk.begin();
    const { snapshot } = await client.draft();
    const { exitCode, stderr } = await desk.run(...args);
    expect([exitCode, stderr]).toEqual([2, expect.stringContaining(message)]);
    expect((await client.draft()).snapshot).toBe(snapshot);
  });

  it('publishing with a name that is not known is refused', async () => {
    await desk.begin();
    await edit({
      kind: 'add-rule',
      fence: 'desk',
      text: 'rule x block when client in missing',
      position: { at: 'bottom' },
    });
    const { exitCode, stderr } = await desk.run('publish', '--note', 'x');
    expect([exitCode, stderr]).toEqual([2, expect.stringContaining('No list is named "missing".')]);
  });
});

describe('a list', () => {
  it('answers what is in it, through what, and with an exit code', async () => {
    await desk.begin(`${FENCES}list all addresses { team, 198.18.9.0/24 except 198.18.4.7 }`);
    expect(await done('list', 'lookup', 'all', '198.18.4.1')).toBe(
      '198.18.4.1 is in all through team, as 198.18.4.0/24.\n',
    );
    const out = await desk.run('list', 'lookup', 'all', '198.18.4.7');
    expect([out.exitCode, out.stdout]).toEqual([1, '198.18.4.7 is not in all: 198.18.4.7 takes it out.\n']);
    writeFileSync(join(desk.folder, 'many.txt'), '198.18.20.0/24\njunk!\n198.18.20.0/24\n');
    expect((await desk.run('list', 'add', 'all', '--file', 'many.txt')).stdout).toContain(
      '   1  added: 198.18.20.0/24\n   2  invalid: junk! (Found "junk!"',
    );
  });
});

describe('a manipulated audit trail', () => {
  it('is reported, and the command exits with 1', async () => {
    await desk.begin();
    const database = new pg.Client({ connectionString: desk.service.databaseUrl });
    await database.connect();
    const { rows } = await database.query<{ id: string; detail: object }>(
      'select id, detail from audit order by id desc limit 1',
    );
    const { id, detail } = rows[0]!;
    await database.query('update audit set detail = $1 where id = $2', [{ ...detail, version: 999 }, id]);
    expect((await client.audit({ offset: 0, limit: 1 })).isIntact).toBe(false);
    const listed = await desk.run('audit', 'list', '--limit', '1');
    expect([listed.exitCode, listed.stderr]).toEqual([1, expect.stringContaining('The audit trail is not intact')]);
    await database.query('update audit set detail = $1 where id = $2', [detail, id]);
    expect((await client.audit({ offset: 0, limit: 1 })).isIntact).toBe(true);
    await database.end();
  });
});

describe('the audit trail', () => {
  it('has every write with what was before and after, and fits together', async () => {
    await desk.begin();
    await done('rule', 'off', 'desk/login');
    const page = await client.audit({ offset: 0, limit: 5 });
    expect(page.isIntact).toBe(true);
    expect(page.entries[0]).toMatchObject({
      user: 'admin',
      what: 'draft.edit',
      detail: {
        changes: [
          {
            kind: 'changed',
            part: 'rule',
            name: 'desk/login',
            before: '  rule login block when path under /login and not tag = staff',
            after: '  rule login off block when path under /login and not tag = staff',
          },
        ],
      },
    });
    expect(await done('audit', 'list', '--limit', '1')).toContain('draft.edit');
  });
});

describe('a stored log that is out of order', () => {
  it('is replayed by rules that count exactly as judge does it, over several chunks, and every row is explained so', async () => {
    const fences = FENCES.replace(
      'rule login block when path under /login and not tag = staff',
      'rule pace limit 3 per 1m by client for 2m when path under /login\n  rule ask warn for 30s when path under /ask',
    );
    await desk.begin(fences);
    // Two runs of lines, as of two rotated files in the wrong order, longer than a chunk together.
    const line = (second: number, index: number): string => {
      const time = new Date(Date.UTC(2026, 9, 12, 10, 0, second)).toISOString();
      const path = index % 5 === 0 ? '/login' : index % 7 === 0 ? '/ask' : '/';
      return JSON.stringify({
        'timestamp': time,
        'client.address': `203.0.113.${index % 90}`,
        'url.full': `https://shop.example${path}`,
        'http.request.method': 'GET',
      });
    };
    const half = (from: number): string[] =>
      Array.from({ length: 35_000 }, (_, index) => line(from + Math.floor(index / 40), index + from));
    const log = `${[...half(1000), ...half(0)].join('\n')}\n`;
    writeFileSync(join(desk.folder, 'mixed.ndjson'), log);
    const judged = await desk.run('judge', 'mixed.ndjson', '--fences', 'site.fence', '--output', 'ndjson');
    expect(judged.stderr).toContain('the lines are not in the order of time, so they were put into it first');
    const expected = judged.stdout.trimEnd().split('\n');
    expect(expected).toHaveLength(70_000);

    const { id: logId } = await client.importLog({ name: 'mixed' }, new Uint8Array(Buffer.from(log)));
    const { id } = await client.startReplay({ logId, against: 'draft' });
    expect(await client.followReplay(id, () => undefined)).toMatchObject({ state: 'done', requestsDone: 70_000 });
    const { summary } = await client.replayResult(id);
    const count = (outcome: string): number =>
      expected.filter((text) => text.includes(`"jade.outcome":"${outcome}"`)).length;
    for (const outcome of ['allowed', 'limited', 'held'] as const) {
      expect(count(outcome)).toBeGreaterThan(100);
      expect(summary.outcomes.find((eachOutcome) => eachOutcome.outcome === outcome)?.requests).toBe(count(outcome));
    }
    for (const offset of [0, 34_900, 65_500, 69_000]) {
      const { rows } = await client.decisions(id, { offset, limit: 200 });
      expect(rows.map(({ record }) => JSON.stringify(record))).toEqual(expected.slice(offset, offset + 200));
    }
    // A row of each run, whose outcome depends on requests elsewhere in the log.
    for (const outcome of ['limited', 'held'] as const) {
      const { rows } = await client.decisions(id, { offset: 150, limit: 1, outcome });
      const { decision, fences: steps } = await client.explanation(id, rows[0]!.row);
      expect(decision.outcome).toBe(outcome);
      expect(steps[0]!.rules.find(({ rule }) => rule === decision.rule)?.memory).toBeDefined();
    }
  }, 60_000);
});

describe('how many requests a rule matches', () => {
  beforeEach(openNewDesk);
  const countsOf = async (id: number, rule: { text: string; fence?: string }) => {
    const { unseen: _, ...counts } = await client.countMatches(id, rule);
    return counts;
  };

  it('is counted exactly over a log, and an error is placed in the rule', async () => {
    await desk.begin();
    const { id } = await client.importLog({ name: 'day' }, new Uint8Array(readFileSync(join(desk.folder, 'day.log'))));
    const count = (text: string) => countsOf(id, { text, fence: 'desk' });
    expect(await count('rule x block when path under /login')).toEqual({ matching: 4, unknown: 0, requests: 12 });
    expect(await count('rule x block when tag = staff')).toEqual({ matching: 8, unknown: 0, requests: 12 });
    expect(await count('rule x block when country = NO')).toEqual({ matching: 0, unknown: 12, requests: 12 });
    expect(await refusal(count('rule x block\n  when client in missing'))).toMatchObject({
      code: 'invalid-text',
      errors: [{ place: '2:18', message: expect.stringContaining('No list is named "missing".') }],
    });
  });

  it('is exact where tags depend on requests elsewhere in a log of several chunks', async () => {
    const text = `gate shop inbound { hosts shop.example fences f otherwise allow }
fence f enforce {
  rule pace limit 3 per 1m by client when path under /login
  rule seen tag seen when always
  rule door limit 1 per 1h by client when path under /door
}
`;
    // The later half of the day comes first, so that rows depend on later rows.
    const line = (second: number, index: number): string =>
      JSON.stringify({
        'timestamp': new Date(Date.UTC(2026, 9, 12) + second * 1000).toISOString(),
        'client.address': `203.0.113.${index % 200}`,
        'url.full': `https://shop.example/${['login', 'door', 'sale'][index % 3]}`,
        'http.request.method': 'GET',
      });
    const rows = Array.from({ length: 70_000 }, (_, index) => line(Math.floor(index / 40), index));
    const log = `${[...rows.slice(35_000), ...rows.slice(0, 35_000)].join('\n')}\n`;
    writeFileSync(join(desk.folder, 'tags.ndjson'), log);
    writeFileSync(join(desk.folder, 'tags.fence'), text);
    const { stdout } = await desk.run('judge', 'tags.ndjson', '--fences', 'tags.fence', '--output', 'ndjson');
    const tagged = stdout.split('\n').filter((row) => row.includes('"jade.tags":["seen"]')).length;
    expect(tagged).toBeGreaterThan(10_000);
    expect(tagged).toBeLessThan(69_000);
    await importInto(client, { fenceFiles: [{ path: 'tags.fence', text }], namedFiles: [] });
    const { id } = await client.importLog({ name: 'tags' }, new Uint8Array(Buffer.from(log)));
    const count = (text: string) => countsOf(id, { text });
    expect(await count('rule x block when tag = seen')).toEqual({ matching: tagged, unknown: 0, requests: 70_000 });
    // Given up half-way it leaves nothing that others would have to wait for.
    const givenUp = client.countMatches(id, { text: 'rule x block when tag = seen' }, AbortSignal.timeout(50));
    await expect(givenUp).rejects.toThrow('cannot be reached');
    expect(await count('rule x block when path under /door')).toEqual({
      matching: 23_333,
      unknown: 0,
      requests: 70_000,
    });
  }, 60_000);
});
