/** Running other programs and reporting the steps. Plain Node, so that it works before anything is installed. */
import { spawn } from 'node:child_process';
import { dirname } from 'node:path';
import { fileURLToPath } from 'node:url';

export const ROOT = dirname(dirname(dirname(fileURLToPath(import.meta.url))));

/** Something the user can fix; printed without a stack. */
export class SetupError extends Error {}

/** Runs one step of the set-up, printing its name and duration. */
export async function step(title, work) {
  const startedMs = performance.now();
  process.stderr.write(`- ${title} ... `);
  try {
    const result = await work();
    process.stderr.write(`done in ${((performance.now() - startedMs) / 1000).toFixed(1)} s\n`);
    return result;
  } catch (error) {
    process.stderr.write('failed\n');
    throw error;
  }
}

/**
 * Runs a program to its end and answers what it printed.
 * @throws SetupError with the end of its output when it fails
 */
export function run(command, args, options = {}) {
  return new Promise((resolve, reject) => {
    const child = spawn(command, args, { cwd: ROOT, stdio: ['ignore', 'pipe', 'pipe'], ...options });
    let output = '';
    child.stdout?.on('data', (piece) => (output += piece));
    child.stderr?.on('data', (piece) => (output += piece));
    child.on('error', (error) => reject(new SetupError(`${command} cannot be run: ${error.message}`)));
    child.on('close', (code) => {
      if (code === 0) resolve(output);
      else reject(new SetupError(`${command} ${args.join(' ')} ended with ${code}\n${output.slice(-4000)}`));
    });
  });
}

const INTERRUPTS = ['SIGINT', 'SIGTERM', 'SIGHUP'];
/** The exit code of what was interrupted. */
const INTERRUPTED = 130;
/** A program that does not end when it is interrupted is killed after this time. */
const END_MS = 10_000;

/** Runs a program on this terminal and answers its exit code. It is interrupted with this script, which then cleans up. */
export function runHere(command, args, options = {}) {
  return new Promise((resolve, reject) => {
    const child = spawn(command, args, { cwd: ROOT, stdio: 'inherit', ...options });
    const interrupt = () => {
      child.kill('SIGTERM');
      setTimeout(() => child.kill('SIGKILL'), END_MS).unref();
    };
    for (const signal of INTERRUPTS) process.on(signal, interrupt);
    child.on('error', reject);
    child.on('close', (code, signal) => {
      for (const one of INTERRUPTS) process.off(one, interrupt);
      resolve(code ?? (signal ? INTERRUPTED : 0));
    });
  });
}

/** Cleans up when this process is interrupted, which then ends. */
export function onInterrupt(cleanUp) {
  for (const signal of INTERRUPTS)
    process.once(signal, () => {
      void cleanUp().finally(() => process.exit(INTERRUPTED));
    });
}

/** Runs a script's main function; what the user can fix is printed without a stack. */
export async function main(work) {
  try {
    process.exitCode = (await work()) ?? 0;
  } catch (error) {
    process.stderr.write(`${error instanceof SetupError ? error.message : error.stack}\n`);
    process.exitCode = 2;
  }
}
