import { spawn } from 'node:child_process';
import { readFileSync } from 'node:fs';

export interface Candidate {
  readonly name: string;
  readonly command: string;
  readonly args: readonly string[];
}

export interface Measured {
  readonly name: string;
  /** Wall-clock seconds of each run, start of the process included. */
  readonly seconds: readonly number[];
  /** Largest resident set of any run. */
  readonly peakBytes: number;
}

/** Runs each candidate in turn, round after round, so that a noisy neighbour hits all alike. */
export async function measureInterleaved(candidates: readonly Candidate[], rounds: number): Promise<Measured[]> {
  const results = candidates.map(({ name }) => ({ name, seconds: [] as number[], peakBytes: 0 }));
  for (let round = 0; round < rounds; round += 1) {
    for (const [index, candidate] of candidates.entries()) {
      const { seconds, peakBytes } = await runOnce(candidate);
      results[index]!.seconds.push(seconds);
      results[index]!.peakBytes = Math.max(results[index]!.peakBytes, peakBytes);
    }
  }
  return results;
}

/** Peak memory is the kernel's own high-water mark, read while the process lives. */
function runOnce({ command, args }: Candidate): Promise<{ seconds: number; peakBytes: number }> {
  return new Promise((resolve, reject) => {
    const startedMs = performance.now();
    const child = spawn(command, args, { stdio: ['ignore', 'ignore', 'ignore'] });
    let peakBytes = 0;
    const sampler = setInterval(() => (peakBytes = Math.max(peakBytes, residentBytes(child.pid!))), 20);
    child.on('error', reject);
    child.on('close', (code) => {
      clearInterval(sampler);
      if (code === 0) resolve({ seconds: (performance.now() - startedMs) / 1000, peakBytes });
      else reject(new Error(`${command} ${args.join(' ')} ended with ${code}`));
    });
  });
}

/** The high-water mark of a process's resident set; 0 once it has ended. */
function residentBytes(pid: number): number {
  try {
    const match = /^VmHWM:\s+(\d+) kB$/m.exec(readFileSync(`/proc/${pid}/status`, 'utf8'));
    return match ? Number(match[1]) * 1024 : 0;
  } catch {
    return 0;
  }
}

export function median(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.floor(sorted.length / 2)]!;
}

/** Seconds of each round of each piece of work, the pieces taking turns. */
export async function timeRounds(
  rounds: number,
  work: Readonly<Record<string, () => void | Promise<void>>>,
): Promise<Record<string, number[]>> {
  const seconds = Object.fromEntries(Object.keys(work).map((name) => [name, [] as number[]]));
  for (let round = 0; round < rounds; round += 1) {
    for (const [name, run] of Object.entries(work)) {
      const startedMs = performance.now();
      await run();
      seconds[name]!.push((performance.now() - startedMs) / 1000);
    }
  }
  return seconds;
}

/** One line for each piece of work: its median, its spread and its rate. */
export function printTimes(times: Readonly<Record<string, readonly number[]>>, count: number, unit: string): void {
  for (const [name, seconds] of Object.entries(times)) {
    const rate = Math.round(count / median(seconds)).toLocaleString('en');
    process.stdout.write(
      `  ${name.padEnd(12)} median ${median(seconds).toFixed(3)} s (${Math.min(...seconds).toFixed(3)} to ${Math.max(...seconds).toFixed(3)})  ${rate.padStart(11)} ${unit}/s\n`,
    );
  }
}

/** How long each stage of some work takes, so that a bench can show which one limits. */
export class Stages {
  readonly #seconds = new Map<string, number>();

  time<T>(name: string, work: () => T): T {
    const startedMs = performance.now();
    const result = work();
    this.#seconds.set(name, (this.#seconds.get(name) ?? 0) + (performance.now() - startedMs) / 1000);
    return result;
  }

  /** @param of what all stages together are */
  print(of: string): void {
    process.stdout.write(this.textOf(of));
  }

  textOf(of: string): string {
    const all = [...this.#seconds.values()].reduce((sum, seconds) => sum + seconds, 0);
    const shares = [...this.#seconds].map(([name, seconds]) => `${name} ${Math.round((100 * seconds) / all)}%`);
    return `  what limits ${of}: ${shares.join(', ')}\n`;
  }
}

/** Bytes of objects and of buffers, garbage collected first. Needs --expose-gc. */
export function heapAndBuffers(): number {
  // Buffers are released in a second round.
  globalThis.gc?.();
  globalThis.gc?.();
  const { heapUsed, arrayBuffers } = process.memoryUsage();
  return heapUsed + arrayBuffers;
}
