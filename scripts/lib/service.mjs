/** The service as a child process. */
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { ROOT, SetupError } from './run.mjs';

const STOP_MS = 10_000;

/** Has glibc give memory back that large buffers of a log lay in; without it a replay takes a seventh more. */
const ALLOCATOR = {
  MALLOC_ARENA_MAX: '2',
  MALLOC_MMAP_THRESHOLD_: '262144',
  MALLOC_TRIM_THRESHOLD_: '1048576',
};
/** Each thread has young generations of half the size, and collects old ones when they have grown by less than half. */
const NODE_OPTIONS = ['--max-semi-space-size=8', '--heap-growing-percent=30'];

/**
 * Starts the built service and waits until it listens.
 * @param {Record<string, string>} env its settings, on top of ours
 * @returns {Promise<{ address: string, pid: number, ended: Promise<number>, stop(): Promise<void>, kill(): Promise<void> }>}
 */
export function startService(env, logTo = 'inherit') {
  return new Promise((resolve, reject) => {
    const child = spawn(process.execPath, [...NODE_OPTIONS, join(ROOT, 'packages/service/dist/main.js')], {
      cwd: ROOT,
      env: { ...ALLOCATOR, ...process.env, ...env },
      stdio: ['ignore', logTo, 'pipe', 'ipc'],
    });
    let errors = '';
    child.stderr.on('data', (piece) => (errors += piece));
    const ended = new Promise((end) => child.once('exit', (code) => end(code ?? 1)));
    void ended.then((code) => reject(new SetupError(errors.trim() || `The service ended with ${code}.`)));
    child.once('message', ({ address }) =>
      resolve({ address, pid: child.pid, ended, stop: () => stop(child, ended), kill: () => kill(child, ended) }),
    );
  });
}

/** Ends it the hard way, as a power cut would. */
async function kill(child, ended) {
  child.kill('SIGKILL');
  await ended;
}

async function stop(child, ended) {
  if (child.exitCode !== null) return;
  child.kill('SIGTERM');
  const killer = setTimeout(() => child.kill('SIGKILL'), STOP_MS);
  await ended;
  clearTimeout(killer);
}
