/** The commands of an afternoon with the service, each with what goes well. */
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { ServiceClient } from '@jadefence/contract';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { FENCES, LOG, setUpDesk, type Desk } from './fixture.js';

let desk: Desk;
let folder: Desk['folder'];
let service: Desk['service'];
let run: Desk['run'];
beforeEach(async () => {
  desk = await setUpDesk();
  ({ folder, service, run } = desk);
});
afterEach(() => desk.clear());

describe('jadefence fence', () => {
  it('shows what an import changes, and changes nothing without a terminal', async () => {
    await run('fence', 'import', 'site.fence', '--yes');
    writeFileSync(
      join(folder, 'other.fence'),
      FENCES.replace('block when', 'block 451 when').replace(
        'rule staff',
        'rule new observe when always\n  rule staff',
      ),
    );
    const before = (await run('fence', 'show', 'desk')).stdout;
    expect(before).toBe(
      'fence desk enforce "Desk" at shop\n  1  staff\n     Tag as staff when the client is in team (1 address entry).\n  2  login\n     Block with 403 when the path is under /login and the request is not tagged staff.\n     otherwise continue with the next fence\n',
    );
    expect(await run('fence', 'import', 'other.fence')).toMatchObject({
      exitCode: 2,
      stdout:
        '+ Rule desk/new was added.\n    Only observe always.\n~ Rule desk/login was changed.\n    Action changed from block with 403 to block with 451.\n',
      stderr: 'Nothing was changed: confirmation needs a terminal.\nPass --yes to confirm.\n',
    });
    expect((await run('fence', 'show', 'desk')).stdout).toBe(before);
  });

  it('merges with --only, and exports what imports back to no difference', async () => {
    await run('fence', 'import', 'site.fence', '--yes');
    writeFileSync(join(folder, 'extra.fence'), 'fence extra trial { rule x block when always }\n');
    expect((await run('fence', 'import', 'extra.fence', '--only', '--yes')).stdout).toBe(
      '+ Fence extra was added.\n    The fence extra is on trial; where no rule ends it: continue with the next fence.\n+ Rule extra/x was added.\n    Block with 403 always.\nThe draft now has 1 gate, 2 fences with 3 rules, and 1 list.\n',
    );
    expect((await run('fence', 'list')).stdout).toBe(
      'fence  mode     rules  at       title\ndesk   enforce      2  shop     Desk\nextra  trial        1  no gate\n',
    );
    expect((await run('fence', 'list', '--output', 'csv')).stdout).toBe(
      'fence,mode,rules,at,title\ndesk,enforce,2,shop,Desk\nextra,trial,1,no gate,\n',
    );
    expect(
      (await run('fence', 'list', '--output', 'ndjson')).stdout
        .split('\n')
        .map((row) => (row ? (JSON.parse(row) as { name: string }).name : '')),
    ).toEqual(['desk', 'extra', '']);
    expect((await run('fence', 'export', 'exported')).stdout).toBe('Wrote 1 file into exported.\n');
    expect((await run('fence', 'import', 'exported')).stdout).toMatch(/^The draft is so already\.\n/);
    expect(await run('fence', 'export', 'exported')).toMatchObject({
      exitCode: 2,
      stderr: 'The folder "exported" is not empty.\nGive a new folder, so that nothing is overwritten.\n',
    });
    expect(readFileSync(join(folder, 'exported/fences.fence'), 'utf8')).toContain(
      'rule login block when path under /login and not tag = staff',
    );
    expect(await run('fence', 'show', 'dsk')).toMatchObject({
      exitCode: 2,
      stderr: 'No fence is named "dsk".\nDid you mean "desk"?\n',
    });
  });
});

describe('jadefence log and replay', () => {
  it('previews a file, imports a gzip, filters decisions, and deletes only what is confirmed', async () => {
    await run('fence', 'import', 'site.fence', '--yes');
    expect((await run('log', 'preview', 'day.log', '--lines', '1')).stdout).toBe(
      'line 1 at 2026-10-12T10:00:00.000Z\n  client.address: 198.18.4.0\n  network.protocol.version: 1.1\n  url.path: /\n  http.request.method: GET\n  http.request.header.host: ["shop.example"]\n  http.response.status_code: 200\n  http.response.body.size: 5\n',
    );
    expect((await run('log', 'import', 'day.log.gz')).stdout).toBe(
      'Log 1 "day.log.gz": 12 requests from 2026-10-12 10:00:00 to 2026-10-12 10:00:23 UTC, read as NCSA combined with the host in front.\n',
    );
    expect((await run('log', 'list')).stdout).toBe(
      'number  log         requests  rejected  span (UTC)\n     1  day.log.gz        12         1  2026-10-12 10:00:00 to 2026-10-12 10:00:23\n',
    );
    expect((await run('log', 'show', '1')).stdout).toContain('line 13, not-the-format: "broken"');
    await run('replay', 'start', '1');
    const count = async (where: string): Promise<string> =>
      (await run('replay', 'decisions', '1', '--where', where)).stderr;
    expect(await count('rule = desk/login and recorded status >= 400 and line in 9 - 10')).toBe(
      '2 of 2 decisions from row 0 on\n',
    );
    expect(await count('tag present and outcome = allowed or client = 203.0.113.9')).toBe(
      '12 of 12 decisions from row 0 on\n',
    );
    expect(await count('country = NO')).toBe('0 of 0 decisions from row 0 on\n');
    expect(await run('replay', 'decisions', '1', '--where', 'status = desk and outcom = blocked')).toMatchObject({
      exitCode: 2,
      stderr:
        'Found "desk", expected a whole number. Found "outcom", expected a field. Did you mean "outcome"?\n1:10: Found "desk", expected a whole number.\n1:19: Found "outcom", expected a field. Did you mean "outcome"?\n',
    });
    expect(await run('log', 'delete', '1', '--yes')).toMatchObject({
      exitCode: 2,
      stderr:
        'Log 1 "day.log.gz" has replay 1, which would be deleted with it.\nDelete it with --force if that is what you want.\n',
    });
    expect((await run('log', 'delete', '1', '--force', '--yes')).stdout).toBe('Log 1 "day.log.gz" is deleted.\n');
    expect(await run('replay', 'show', '1')).toMatchObject({ exitCode: 2, stderr: 'There is no replay 1.\n' });
  });

  it('of a truncated gzip keeps what came before, and reports it', async () => {
    const whole = gzipSync(LOG.repeat(5000));
    writeFileSync(join(folder, 'short.gz'), whole.subarray(0, whole.length - 20));
    const imported = await run('log', 'import', 'short.gz');
    expect(imported.exitCode).toBe(0);
    expect(imported.stderr).toContain('The log is incomplete: The gzip file is damaged or cut short');
    expect((await run('log', 'show', 'short.gz')).stdout).toMatch(/incomplete +The gzip file is damaged/);
    expect((await run('log', 'delete', 'short.gz', '--yes')).exitCode).toBe(0);
    expect((await run('log', 'list', '--output', 'json')).stdout).toBe('[]\n');
  });
});

describe('jadefence admin', () => {
  it('makes, lists and revokes tokens, and resets the password', async () => {
    const created = (await run('admin', 'token', 'create', 'pipeline', '--days', '9')).stdout.trim();
    const client = new ServiceClient({ baseUrl: service.address, token: created });
    expect(await client.me()).toEqual({ name: 'admin', role: 'viewer' });
    const listed = JSON.parse((await run('admin', 'token', 'list', '--output', 'json')).stdout) as {
      id: number;
      name: string;
    }[];
    const { id } = listed.find((item) => item.name === 'pipeline')!;
    expect((await run('admin', 'token', 'revoke', String(id))).stdout).toBe(`Token ${id} is revoked.\n`);
    await expect(client.me()).rejects.toThrow('The token is not valid or has expired.');
    expect(await run('admin', 'token', 'revoke', '999')).toMatchObject({
      exitCode: 2,
      stderr: 'There is no token 999.\njadefence admin token list shows those there are.\n',
    });
    const password = (await run('admin', 'reset-password')).stdout.trim();
    const anonymous = new ServiceClient({ baseUrl: service.address });
    await expect(anonymous.createToken(service.signIn, { name: 'old', scope: 'viewer' })).rejects.toThrow(
      'The name or the password is wrong.',
    );
    expect((await anonymous.createToken({ name: 'admin', password }, { name: 'new', scope: 'viewer' })).scope).toBe(
      'viewer',
    );
  });
});
