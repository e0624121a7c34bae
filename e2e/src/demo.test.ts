import { spawn } from 'node:child_process';
import { createServer } from 'node:net';
import { join } from 'node:path';
import { readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { ROOT } from './root.js';

/** A separate demo, so that a running one is not disturbed. */
const NAME = 'test-demo';

interface Ended {
  readonly exitCode: number | null;
  readonly output: string;
  readonly seconds: number;
}

/** Runs the demo as `npm run demo` does, to its end or until it prints `until`, when it is interrupted as Ctrl-C would. */
function runDemo(args: readonly string[], env: Record<string, string>, until?: string): Promise<Ended> {
  return new Promise((resolve) => {
    const startedMs = performance.now();
    const child = spawn(process.execPath, [join(ROOT, 'scripts/demo.mjs'), ...args], {
      cwd: ROOT,
      env: { ...process.env, JADEFENCE_DEMO_NAME: NAME, ...env },
    });
    let output = '';
    const listen = (piece: Buffer): void => {
      output += piece.toString();
      if (until && output.includes(until)) child.kill('SIGINT');
    };
    child.stdout.on('data', listen);
    child.stderr.on('data', listen);
    child.on('close', (exitCode) => resolve({ exitCode, output, seconds: (performance.now() - startedMs) / 1000 }));
  });
}

/** The command lines of running processes that name `path`, as the kernel lists them. */
function processesOf(path: string): string[] {
  return readdirSync('/proc')
    .filter((name) => /^\d+$/.test(name))
    .map((pid) => {
      try {
        return readFileSync(`/proc/${pid}/cmdline`, 'utf8').replaceAll('\0', ' ');
      } catch {
        return '';
      }
    })
    .filter((commandLine) => commandLine.includes(path));
}

describe('npm run demo', () => {
  it('loads everything, shows the result, keeps it for the next time, and leaves nothing running', async () => {
    const first = await runDemo(['--once', '--fresh'], { JADEFENCE_PORT: '0' });
    expect([first.exitCode, first.output]).toEqual([0, first.output]);
    expect(first.output).toContain('59,991 requests');
    expect(first.output).toMatch(
      /The console is at http:\/\/127\.0\.0\.1:\d+\nSign in as admin with the password \S{20} /,
    );
    expect(first.output.trimEnd().split('\n').at(-1)).toBe(
      'With a log of your own: bin/jadefence survey access.log, then bin/jadefence judge access.log --fences starter.fence',
    );
    expect((statSync(join(ROOT, `.jadefence/${NAME}/sign-in`)).mode & 0o777).toString(8)).toBe('600');
    expect(processesOf(join(ROOT, `.jadefence/${NAME}-postgres`))).toEqual([]);

    const second = await runDemo(['--once'], { JADEFENCE_PORT: '0' });
    expect([second.exitCode, /Importing|Replaying|Making up/.test(second.output)]).toEqual([0, false]);
    const passwordOf = ({ output }: Ended): string | undefined => /password (\S+)/.exec(output)?.[1];
    expect(passwordOf(second)).toBe(passwordOf(first));
  }, 240_000);

  it('reports the fix if its sign-in does not fit its database', async () => {
    const signIn = join(ROOT, `.jadefence/${NAME}/sign-in`);
    const kept = readFileSync(signIn, 'utf8');
    writeFileSync(signIn, kept.replace(/password: .*/, 'password: another'));
    const ended = await runDemo(['--once'], { JADEFENCE_PORT: '0' });
    writeFileSync(signIn, kept);
    expect(ended.exitCode).toBe(2);
    expect(ended.output.trimEnd().split('\n').at(-1)).toBe(
      `The sign-in of the demo (${signIn}) does not fit its database: The name or the password is wrong. Start over with npm run demo -- --fresh`,
    );
    expect(processesOf(join(ROOT, `.jadefence/${NAME}-postgres`))).toEqual([]);
  }, 120_000);

  it('stays up until it is interrupted, and then stops what it started', async () => {
    const ended = await runDemo([], { JADEFENCE_PORT: '0' }, 'With a log of your own');
    expect([ended.exitCode, ended.output.includes('Ctrl-C stops it.')]).toEqual([0, true]);
    expect(processesOf(join(ROOT, `.jadefence/${NAME}-postgres`))).toEqual([]);
  }, 120_000);

  it('reports in a line that its port is taken, and stops its database', async () => {
    const taken = createServer();
    await new Promise<void>((resolve) => taken.listen(0, '127.0.0.1', resolve));
    const { port } = taken.address() as { port: number };
    const ended = await runDemo(['--once'], { JADEFENCE_PORT: String(port) });
    taken.close();
    expect(ended.exitCode).toBe(2);
    expect(ended.output.trimEnd().split('\n').at(-1)).toBe(
      `Port ${port} of 127.0.0.1 is taken by another process. Stop it, or set JADEFENCE_PORT.`,
    );
    expect(processesOf(join(ROOT, `.jadefence/${NAME}-postgres`))).toEqual([]);
  }, 120_000);
});
