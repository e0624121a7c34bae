import { Piscina } from 'piscina';
import type { ReferenceAnswer, ReferenceTask } from './reference-worker.js';

const IDLE_MS = 10_000;

/** One thread that reads reference data, started when there is something to read and ended when there is nothing more. */
export class ReferencePool {
  #started: Piscina | undefined;

  async read(task: ReferenceTask): Promise<ReferenceAnswer> {
    this.#started ??= new Piscina({
      filename: new URL('./reference-worker.js', import.meta.url).href,
      minThreads: 0,
      maxThreads: 1,
      idleTimeout: IDLE_MS,
    });
    return (await this.#started.run(task, { name: 'readReference' })) as ReferenceAnswer;
  }

  async close(): Promise<void> {
    await this.#started?.destroy();
  }
}
