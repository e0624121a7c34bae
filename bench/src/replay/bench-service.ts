/** The service as a whole: a log streamed into it, replayed by it, and the memory that this takes. */
import { readFileSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { busySeconds, streamOf, withService } from './service-fixture.js';

const SAMPLE_MS = 100;

/** @param numRequests streamed from the generator, never written as a file */
export async function benchService(numRequests: number): Promise<void> {
  await withService(async ({ client, pid }) => {
    process.stdout.write(`service: ${numRequests.toLocaleString('en')} requests of the frozen log, 200 rules\n`);
    const memory = new ResidentMemory(pid);
    const log = await report('imported over HTTP', numRequests, memory, pid, () =>
      client.importLog({ name: 'frozen', format: 'combined-with-host' }, streamOf(numRequests)),
    );
    const replay = await client.startReplay({ logId: log.id, against: 'draft' });
    const end = await report('replayed', numRequests, memory, pid, () =>
      client.followReplay(replay.id, () => undefined),
    );
    memory.stop();
    if (end.state !== 'done') throw new Error(`The replay ended ${end.state}: ${end.failure}`);
  });
}

async function report<T>(
  what: string,
  numRequests: number,
  memory: ResidentMemory,
  pid: number,
  work: () => Promise<T>,
): Promise<T> {
  const startedMs = performance.now();
  memory.begin();
  const before = memory.mostMegabytes;
  const busyBefore = busySeconds(pid);
  const result = await work();
  const seconds = (performance.now() - startedMs) / 1000;
  const busy = (busySeconds(pid) - busyBefore) / seconds;
  process.stdout.write(
    `  ${what.padEnd(20)} ${seconds.toFixed(1)} s, ${Math.round(numRequests / seconds).toLocaleString('en')} requests/s, resident at most ${memory.mostMegabytes} MB, ${before} MB before; it kept ${busy.toFixed(1)} processors busy, of ${availableParallelism()}\n`,
  );
  return result;
}

/** Of a process with all its threads, as the system counts it. */
class ResidentMemory {
  #most = 0;
  readonly #timer = setInterval(() => this.#sample(), SAMPLE_MS);

  constructor(private readonly pid: number) {}

  begin(): void {
    this.#most = 0;
    this.#sample();
  }

  #sample(): void {
    const [, kilobytes = '0'] = /^VmRSS:\s+(\d+)/m.exec(readFileSync(`/proc/${this.pid}/status`, 'utf8')) ?? [];
    this.#most = Math.max(this.#most, Number(kilobytes));
  }

  get mostMegabytes(): number {
    return Math.round(this.#most / 1024);
  }

  stop(): void {
    clearInterval(this.#timer);
  }
}
