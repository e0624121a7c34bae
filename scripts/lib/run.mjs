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

/** Runs a program on this terminal and answers its exit code. */
export function runHere(command, args, options = {}) {
  return new Promise((resolve, reject) => {
    const child = spawn(command, args, { cwd: ROOT, stdio: 'inherit', ...options });
    child.on('error', reject);
    child.on('close', (code, signal) => resolve(code ?? (signal ? 1 : 0)));
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
