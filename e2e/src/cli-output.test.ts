/** The whole output of the command line, from the first minute on. */
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { setUpDesk, type Desk } from './fixture.js';

const RULES = `zone Europe/Oslo
list team addresses "The team" { 198.18.4.0/24 except 198.18.4.9 }
list everyone addresses { team, 198.18.9.0/24 }
schedule nights { mon-fri 22:00-06:00 }
gate shop inbound { hosts shop.example fences desk otherwise allow }
gate wifi outbound { clients 198.18.0.0/16 otherwise block }
fence desk enforce "Desk" {
  rule staff tag staff when client in everyone
  rule login trial block when path under /login and not tag = staff
  rule door passphrase staff-door for 1h when path under /door during nights
}
expect allowed from 198.18.4.1 to https://shop.example/
`;

let desk: Desk;
/** For all tests of a block, none of which changes what another shows. */
function useDesk(...commands: readonly string[][]): void {
  beforeAll(async () => {
    desk = await setUpDesk();
    writeFileSync(join(desk.folder, 'all.fence'), RULES);
    for (const command of commands) await desk.run(...command);
  });
  afterAll(() => desk.clear());
}
const command = (line: string, ...more: string[]): string[] => [...line.split(' '), ...more];
const PUBLISHED = [
  command('fence import all.fence --yes'),
  command('publish --note first'),
  command('rule on desk/login'),
];
const RESTORED = [...PUBLISHED, command('publish --note second'), command('revision restore 1 --note', 'back again')];

/** What a command prints, and how it ends where that is not well; what differs from run to run is taken out. */
async function run(line: string, ...more: string[]): Promise<string> {
  const { stdout, stderr, exitCode } = await desk.run(...line.split(' '), ...more);
  return `${stdout}${stderr}${exitCode === 0 ? '' : `exit ${exitCode}\n`}`
    .replace(/\d{4}-\d\d-\d\dT[\d:.]+Z/g, 'INSTANT')
    .replace(/(20(?!26-10-12))\d\d-\d\d-\d\d \d\d:\d\d(:\d\d)?/g, 'DATE')
    .replace(/\b[0-9a-f]{64}\b/g, 'HASH')
    .replace(/\b[0-9a-f]{12}\b/g, 'SHORT');
}

const lines = (...all: string[]): string => `${all.join('\n')}\n`;

describe('before anything is there', () => {
  useDesk();

  it.each([
    ['fence list', 'The draft has no fences yet. Bring some in with jadefence fence import PATH.'],
    ['gate list', 'The draft has no gates yet.'],
    ['list list', 'The draft has no lists yet. Create one with jadefence list create NAME KIND.'],
    ['revision list', 'Nothing is published yet. Publish the draft with jadefence publish --note TEXT.'],
    ['passphrase list', 'There is no passphrase, and no rule requires one.'],
    ['dataset list', 'Nothing was imported yet.'],
    ['country show', 'There is no country table yet. Import one with jadefence country import FILE.'],
    ['category list', 'There is no category feed yet. Import one with jadefence category import FILE.'],
    ['log list', 'There is no log yet. Bring one in with jadefence log import FILE.'],
    ['replay list', 'There is no replay yet. Start one with jadefence replay start LOG.'],
  ])('%s shows how to begin', async (command, expected) => expect(await run(command)).toBe(lines(expected)));

  it('a rule that is requested has no fence to be in', async () =>
    expect(await run('rule show desk/staff')).toBe(
      lines('No fence is named "desk".', 'The draft has no fences yet.', 'exit 2'),
    ));
});

describe('the draft', () => {
  useDesk(...PUBLISHED);

  it('has fences, whose rules are sentences', async () => {
    expect(await run('fence list')).toBe(
      lines('fence  mode     rules  at    title', 'desk   enforce      3  shop  Desk'),
    );
    expect(await run('fence list --output csv')).toBe(lines('fence,mode,rules,at,title', 'desk,enforce,3,shop,Desk'));
    expect(await run('fence show desk')).toBe(
      lines(
        'fence desk enforce "Desk" at shop',
        '  1  staff',
        '     Tag as staff when the client is in everyone (2 address entries).',
        '  2  login',
        '     Block with 403 when the path is under /login and the request is not tagged staff.',
        '  3  door',
        '     Require the passphrase staff-door and then let pass for 1 hour when the path is under /door, during nights.',
        '     otherwise continue with the next fence',
      ),
    );
    expect(await run('rule show desk/login')).toBe(
      lines(
        'Block with 403 when the path is under /login and the request is not tagged staff.',
        '',
        'rule login block when path under /login and not tag = staff',
      ),
    );
    expect(await run('rule show desk/logn')).toBe(
      lines('Fence desk has no rule "logn".', 'Did you mean "login"?', 'exit 2'),
    );
  });

  it('has gates, and lists with what uses them', async () => {
    expect(await run('gate list')).toBe(
      lines(
        'gate  direction  protects       fences  otherwise',
        'shop  inbound    shop.example   desk    allow',
        'wifi  outbound   198.18.0.0/16          block with 403',
      ),
    );
    expect(await run('list list')).toBe(
      lines(
        'list      kind       entries  except  used             changed',
        'team      addresses        1       1  list everyone    DATE by admin',
        'everyone  addresses        2       0  rule desk/staff  DATE by admin',
      ),
    );
    expect(await run('list show everyone')).toBe(
      lines(
        'list everyone of addresses',
        '  team (a list)',
        '    198.18.4.0/24',
        '    except',
        '    198.18.4.9',
        '  198.18.9.0/24',
        'used by rule desk/staff',
      ),
    );
    expect(JSON.parse(await run('gate list --output json'))).toMatchObject([
      { name: 'shop', direction: 'inbound', hosts: ['shop.example'], fences: ['desk'], otherwise: 'allow' },
      { name: 'wifi', direction: 'outbound', hosts: [], fences: [], otherwise: 'block with 403' },
    ]);
  });

  it('reports which passphrases its rules require, and what it changes', async () => {
    expect(await run('passphrase list')).toBe(
      lines('name        state    used by         set by  at (UTC)', 'staff-door  not set  rule desk/door'),
    );
    expect(await run('draft changes')).toBe(
      lines(
        'Against revision 1:',
        '~ Rule desk/login was changed. (admin, DATE UTC)',
        '    State changed from trial to on.',
      ),
    );
    expect(await run('expect')).toBe(
      lines('met      A request from 198.18.4.1 to https://shop.example/ must be allowed.'),
    );
  });
});

describe('what is published', () => {
  useDesk(...RESTORED);

  it('are revisions, each with what it changed', async () => {
    expect(await run('revision list')).toBe(
      lines(
        'revision  published                  note        is',
        '       3  DATE by admin  back again  published',
        '       2  DATE by admin  second',
        '       1  DATE by admin  first',
      ),
    );
    expect(await run('revision show 1')).toBe(lines('revision 1', 'first (admin, DATE UTC)'));
    expect(await run('revision show 3')).toBe(
      lines(
        'revision 3, which is published',
        'back again (admin, DATE UTC)',
        'It is revision 1 again.',
        'Against revision 2:',
        '~ Rule desk/login was changed.',
        '    State changed from on to trial.',
      ),
    );
    expect(await run('revision show 9')).toBe(
      lines('There is no revision 9.', 'jadefence revision list shows those there are.', 'exit 2'),
    );
  });

  it('is in the audit trail, the latest first', async () => {
    const [, latest] = (await run('audit list --limit 2')).split('\n');
    expect(latest).toMatch(
      /^ +\d+ {2}DATE {2}admin {2}revision\.restore {2}\{"note":"back again","restored":1,"revision":3\}$/,
    );
  });
});

describe('what is edited', () => {
  useDesk();
  beforeEach(async () => void (await run('fence import all.fence --yes')));

  it.each([
    ['fence mode desk trial', ['~ Fence desk was changed.', '    Mode changed from enforce to trial.']],
    ['fence attach desk wifi', ['~ Gate wifi was changed.', '    Stack of fences added: desk.']],
    ['fence detach desk shop', ['~ Gate shop was changed.', '    Stack of fences removed: desk.']],
    ['gate attach wifi desk', ['~ Gate wifi was changed.', '    Stack of fences added: desk.']],
    [
      'rule note desk/login --until 2026-12-31 --owner kari --reason sale',
      [
        '~ Rule desk/login was changed.',
        '    End added: 2026-12-31.',
        '    Owner added: kari.',
        '    Reason added: sale.',
      ],
    ],
    ['rule note desk/login', ['Expected --until, --owner, --reason or --title.', 'exit 2']],
    ['fence attach nope shop', ['There is no fence "nope".', 'exit 2']],
    ['gate attach nope desk', ['There is no gate "nope".', 'exit 2']],
    [
      'draft remove schedule nights',
      ['The schedule nights is used by rule desk/door.', 'Take it out there first; nothing was removed.', 'exit 2'],
    ],
    [
      'fence start-from nope',
      ['There is no starting point "nope".', 'There are: published-site, public-api, visitors-network.', 'exit 2'],
    ],
  ])('%s', async (command, expected) => expect(await run(command)).toBe(lines(...expected)));

  it('goes back', async () => {
    await run('fence attach desk wifi');
    expect(await run('fence detach desk wifi shop')).toBe(
      lines(
        '~ Gate shop was changed.',
        '    Stack of fences removed: desk.',
        '~ Gate wifi was changed.',
        '    Stack of fences removed: desk.',
      ),
    );
    await run('rule note desk/login --until 2026-12-31 --owner kari --reason sale');
    expect(await run('rule note desk/login --until none --owner none --reason none')).toBe(
      lines(
        '~ Rule desk/login was changed.',
        '    End removed: 2026-12-31.',
        '    Owner removed: kari.',
        '    Reason removed: sale.',
      ),
    );
  });

  it('may begin with a fence of ours, on trial', async () => {
    const expected = await run('fence start-from published-site');
    expect(expected).toMatch(/^\+ /);
    expect(await run('fence list')).toMatch(/^\S+ +trial +\d+ /m);
  });
});

describe('a log, its replays and comparisons', () => {
  useDesk(...RESTORED, command('log import day.log'), command('replay start 1'));

  it('are listed and shown with what they depend on', async () => {
    expect(await run('log list')).toBe(
      lines(
        'number  log      requests  rejected  span (UTC)',
        '     1  day.log        12         1  2026-10-12 10:00:00 to 2026-10-12 10:00:23',
      ),
    );
    expect(await run('log show day.log')).toBe(
      lines(
        'log             1',
        'name            day.log',
        'requests        12',
        'rejected lines  1',
        'span (UTC)      2026-10-12 10:00:00 to 2026-10-12 10:00:23',
        'format          NCSA combined with the host in front',
        'SHA-256         HASH',
        'imported (UTC)  DATE',
        '  line 13, not-the-format: "broken"',
      ),
    );
    expect(await run('why 1 99')).toBe(
      lines(
        'Replay 1 decided nothing of line 99.',
        'The line may have been rejected at import, or lie outside what was replayed.',
        'exit 2',
      ),
    );
    const why = await run('why 1 2');
    expect(why.split('\n').slice(0, 2)).toEqual([
      'line 2, 2026-10-12 10:00:01 UTC, 198.18.4.1 (-): GET shop.example/',
      'GET shop.example/ at INSTANT',
    ]);
    expect(why).toContain(
      'tested client in everyone; the client is 198.18.4.1 (everyone > team holds it as 198.18.4.0/24)',
    );
    expect(why.trimEnd().split('\n').at(-1)).toBe('Judged by revision 3.');
    expect(await run('replay decisions 1 --limit 1 --explain')).toContain('Judged by revision 3.');
    const replays = (await run('replay list --output csv')).trimEnd().split('\n');
    expect([replays[0], replays.at(-1)]).toEqual([
      'number,log,state,requests,started (UTC),name',
      '1,day.log,done,12,DATE,',
    ]);
    expect(await run('replay show 1 --by country')).toBe(
      lines(
        'Replay 1 of "day.log", depends on revision 3 (SHORT), log SHORT, no country table, no category feed',
        '12 requests from 2026-10-12 10:00:00 to 2026-10-12 10:00:23 UTC',
        '',
        'outcome  requests   share',
        'allowed        12  100.0%',
        '',
        'fence desk "Desk" at shop',
        'rule   hits  decided  last hit             note          what it does',
        'staff     8        0  2026-10-12 10:00:07                Tag as staff when the client is in everyone (2',
        '                                                         address entries).',
        'login     4        0  2026-10-12 10:00:23  would stop 4  On trial: block with 403 when the path is under',
        '                                                         /login and the request is not tagged staff.',
        'door      0        0  -                                  Require the passphrase staff-door and then let pass',
        '                                                         for 1 hour when the path is under /door, during',
        '                                                         nights.',
        '',
        'No request reached wifi.',
        '',
        'Nothing is known of the country of requests, since there is no country table.',
        '',
        '1 line rejected',
        '  1: the line does not match the format',
        'the first of them',
        '  line 13: broken',
      ),
    );
  });

  it('report where the draft differs from what is published', async () => {
    const started = await run('replay start 1');
    const { id } = JSON.parse((await run('replay list --output ndjson')).split('\n')[0]!) as { id: number };
    expect(started).toBe(
      lines(
        `Replay ${id} of "day.log" against revision 3 is done: 12 requests.`,
        `See it with: jadefence replay show ${id}`,
        'The draft differs from revision 3 (1 change): --against draft judges by it.',
      ),
    );
  });

  it('name the revisions that were requested, also where another is the same', async () => {
    const compared = (await run('compare 1 --before 1 --after 2')).split('\n');
    expect(compared.slice(0, 5)).toEqual([
      'Comparison 1 of "day.log": revision 1, then revision 2',
      '4 of 12 requests change (33.3%), 0 more are decided by another rule',
      '',
      'before \\ after  allowed  blocked',
      'allowed               8        4',
    ]);
    expect(compared).toContain('    1         4  changes  allowed by shop otherwise  blocked 403 by desk/login');
    expect(await run('compare 1 --before 3 --after 1')).toContain('0 of 12 requests change (0.0%)');
  });

  it.each([
    ['replay show 9', ['There is no replay 9.', 'exit 2']],
    ['replay start nope', ['There is no log "nope".', 'The logs are: 1 (day.log).', 'exit 2']],
    ['replay start 1 --gate nope', ['No gate is named "nope".', 'The gates are: shop, wifi.', 'exit 2']],
    [
      'replay start 1 --from 2026-10-12T11:00:00Z --to 2026-10-12T10:00:00Z',
      ['The end of the time range is before its start.', 'exit 2'],
    ],
    [
      'compare 1 --before 1 --after 9',
      ['There is no revision 9.', 'jadefence revision list shows those there are.', 'exit 2'],
    ],
  ])('%s', async (command, expected) => expect(await run(command)).toBe(lines(...expected)));

  it('errors of filters are reported once, with their position', async () => {
    const expected = await run('replay decisions 1 --where', 'client in 198.18.4.0/24 and nope');
    expect(expected).toMatch(/^1:29: Found "nope", expected a field: .*\nexit 2\n$/);
  });
});

describe('a log with replays', () => {
  useDesk(...PUBLISHED, command('log import day.log'), command('replay start 1'));

  it('is deleted with them, if that is confirmed', async () => {
    expect(await run('log delete 1 --yes')).toBe(
      lines(
        'Log 1 "day.log" has replay 1, which would be deleted with it.',
        'Delete it with --force if that is what you want.',
        'exit 2',
      ),
    );
    expect(await run('log delete 1 --yes --force')).toBe(lines('Log 1 "day.log" is deleted.'));
    expect(await run('replay show 1')).toBe(lines('There is no replay 1.', 'exit 2'));
  });
});
