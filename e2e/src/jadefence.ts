import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { ROOT } from './root.js';

export interface Ran {
  readonly exitCode: number;
  readonly stdout: string;
  readonly stderr: string;
}

/** Runs the built command-line client to its end, the way a person would. */
export function jadefence(
  args: readonly string[],
  options: {
    env?: Record<string, string>;
    input?: string | AsyncIterable<string>;
    nodeOptions?: string;
    cwd?: string;
  } = {},
): Promise<Ran> {
  return new Promise((resolve, reject) => {
    const env = {
      PATH: process.env['PATH'],
      HOME: '/nonexistent',
      ...(options.nodeOptions ? { NODE_OPTIONS: options.nodeOptions } : {}),
      ...options.env,
    };
    const child = spawn(process.execPath, [join(ROOT, 'bin/jadefence'), ...args], { cwd: options.cwd ?? ROOT, env });
    let stdout = '';
    let stderr = '';
    child.stdout.setEncoding('utf8').on('data', (piece: string) => (stdout += piece));
    child.stderr.setEncoding('utf8').on('data', (piece: string) => (stderr += piece));
    child.on('error', reject);
    child.on('close', (exitCode) => resolve({ exitCode: exitCode ?? 1, stdout, stderr }));
    // A command that does not read its input closes it; that is no failure of the test.
    child.stdin.on('error', () => undefined);
    void feed(child.stdin, options.input ?? '');
  });
}

async function feed(stdin: NodeJS.WritableStream, input: string | AsyncIterable<string>): Promise<void> {
  if (typeof input === 'string') stdin.write(input);
  else
    for await (const piece of input)
      if (!stdin.write(piece)) await new Promise((resolve) => stdin.once('drain', resolve));
  stdin.end();
}

/** What is typed once a text is on the screen. */
export type Typed = readonly [after: string, keys: string];

/**
 * The same at a terminal of 100 columns, where a person types.
 * @returns the text on the screen, without control sequences
 */
export function jadefenceAtTerminal(
  args: readonly string[],
  typed: readonly Typed[],
  { env, cwd = ROOT }: { env?: Record<string, string>; cwd?: string } = {},
): Promise<{ readonly exitCode: number; readonly screen: string }> {
  const quoted = [process.execPath, join(ROOT, 'bin/jadefence'), ...args].map((word) => `'${word}'`).join(' ');
  return new Promise((resolve, reject) => {
    const child = spawn('script', ['-qec', `stty cols 100; ${quoted}`, '/dev/null'], {
      cwd,
      env: { PATH: process.env['PATH'], HOME: '/nonexistent', ...env },
    });
    const left = [...typed];
    let written = '';
    child.stdout.setEncoding('utf8').on('data', (piece: string) => {
      written += piece;
      const [next] = left;
      if (next && written.includes(next[0])) child.stdin.write(left.shift()![1]);
    });
    child.on('error', reject);
    child.on('close', (exitCode) => {
      const screen = written.replace(/\u001b\[[\d;?]*[A-Za-z]/g, '').replaceAll('\r', '');
      resolve({ exitCode: exitCode ?? 1, screen });
    });
  });
}
