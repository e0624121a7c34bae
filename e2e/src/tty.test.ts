/** Prompts and progress at a terminal. */
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { logLine, setUpDesk, type Desk } from './fixture.js';
import { jadefenceAtTerminal, type Typed } from './jadefence.js';

let desk: Desk;
beforeAll(async () => {
  desk = await setUpDesk();
  for (const args of [
    ['fence', 'import', 'site.fence', '--yes'],
    ['publish', '--note', 'first'],
    ['log', 'import', 'day.log'],
  ])
    expect(await desk.run(...args)).toMatchObject({ exitCode: 0 });
});
afterAll(() => desk.clear());

const type = (args: readonly string[], ...typed: Typed[]) =>
  jadefenceAtTerminal(args, typed, { env: { XDG_CONFIG_HOME: desk.folder }, cwd: desk.folder });

const INTERRUPT = '\u0003';
const END_OF_INPUT = '\u0004';

describe('a question', () => {
  const question = 'Delete log 1 "day.log" with 12 requests? [y/N] ';

  it.each<[string, string]>([
    ['no', 'n\r'],
    ['nothing', '\r'],
    ['what is neither', 'yess\r'],
    ['an interrupt', INTERRUPT],
    ['the end of the input', END_OF_INPUT],
  ])('that is answered with %s changes nothing', async (_, keys) => {
    const { exitCode, screen } = await type(['log', 'delete', '1'], [question, keys]);
    expect([exitCode, screen.split('\n').at(-2)]).toEqual([2, expect.stringMatching(/Nothing is changed\.$/)]);
    expect((await desk.service.client.logs()).map(({ id }) => id)).toEqual([1]);
  });

  it('that is answered with yes is done', async () => {
    writeFileSync(join(desk.folder, 'second.log'), `${logLine('198.18.4.1', '/', 1)}\n`);
    await desk.run('log', 'import', 'second.log');
    const requested = 'Delete log 2 "second.log" with 1 request? [y/N] ';
    const { exitCode, screen } = await type(['log', 'delete', 'second.log'], [requested, 'Y\r']);
    expect([exitCode, screen]).toEqual([0, `${requested}Y\nLog 2 "second.log" is deleted.\n`]);
  });

  it('confirms an import of fences that changes the draft, with the changes', async () => {
    writeFileSync(join(desk.folder, 'more.fence'), 'list team addresses { 198.18.4.0/24, 198.18.5.0/24 }\n');
    const { exitCode, screen } = await type(['fence', 'import', 'more.fence'], ['[y/N]', 'n\r']);
    expect(exitCode).toBe(2);
    expect(screen).toContain('~ List team was changed.');
    expect((await desk.service.client.draftChanges()).changes).toEqual([]);
  });
});

describe('a secret', () => {
  it('is requested without a trace on the screen, and signs in', async () => {
    const { address, signIn } = desk.service;
    const args = ['login', '--url', address, '--name', signIn.name];
    const signedIn = await type(args, [`Password of ${signIn.name}: `, `${signIn.password}\r`]);
    expect(signedIn.exitCode).toBe(0);
    expect(signedIn.screen).toContain(`Signed in to ${address} as ${signIn.name} (administrator).`);
    expect(signedIn.screen).not.toContain(signIn.password);
    expect(await type(args, ['Password', 'guess\r'])).toEqual({
      exitCode: 2,
      screen: `Password of ${signIn.name}: \nThe name or the password is wrong.\n`,
    });
    expect(await type(args, ['Password', INTERRUPT])).toEqual({
      exitCode: 2,
      screen: `Password of ${signIn.name}: \nNothing is changed.\n`,
    });
  });

  it('is no less one where it is a passphrase', async () => {
    const { exitCode, screen } = await type(['passphrase', 'set', 'door'], ['Passphrase: ', 'open sesame\r']);
    expect([exitCode, screen]).toEqual([0, 'Passphrase: \nThe passphrase door is set.\n']);
    expect((await desk.run('passphrase', 'list')).stdout).toMatch(/^door {2}set /m);
    expect((await desk.run('passphrase', 'remove', 'door')).stdout).toBe('Deleted passphrase door.\n');
    expect((await desk.run('passphrase', 'remove', 'door')).stderr).toBe('There is no passphrase "door".\n');
  });
});

describe('a replay that is followed', () => {
  it('shows its progress, and its result by outcome and rule', async () => {
    const { exitCode, screen } = await type(['replay', 'start', 'day.log', '--follow']);
    expect(exitCode).toBe(0);
    const whole = [
      '12 of 12 requests, 100.0%, done',
      '',
      'outcome  requests  share',
      'allowed         8  66.7%',
      'blocked         4  33.3%',
      '',
      'rule        hits  decided',
      'desk/staff     8        0',
      'desk/login     4        4',
      'Replay 1 of "day.log" against revision 1 is done: 12 requests.',
      'See it with: jadefence replay show 1',
      '',
    ];
    expect(screen.endsWith(whole.join('\n'))).toBe(true);
  });

  it('is started and left without waiting, and one that is done cannot be cancelled', async () => {
    const { stdout } = await desk.run('replay', 'start', 'day.log', '--no-wait');
    expect(stdout).toBe('Replay 2 of "day.log" against revision 1 is started.\n');
    await expect.poll(async () => (await desk.service.client.replay(2)).state, { timeout: 8000 }).toBe('done');
    expect(await desk.run('replay', 'cancel', '2')).toMatchObject({
      exitCode: 2,
      stderr: 'Replay 2 is done already.\n',
    });
  });
});
