import { MessageChannel } from 'node:worker_threads';
import { Piscina } from 'piscina';
import type { ChunkAnswer, ChunkTask } from './replay-worker.js';

const isSource = import.meta.url.endsWith('.ts');

/** Worker threads that judge chunks. */
export class JudgingPool {
  readonly #pool: Piscina<ChunkTask, ChunkAnswer>;

  constructor(numThreads: number) {
    this.#pool = new Piscina({
      filename: new URL(`./replay-worker.${isSource ? 'ts' : 'js'}`, import.meta.url).href,
      execArgv: isSource ? ['--import', 'tsx', '--conditions=jade-source'] : [],
      minThreads: numThreads,
      maxThreads: numThreads,
    });
  }

  async judge(task: Omit<ChunkTask, 'progress'>, onProgress: (numRowsDone: number) => void): Promise<ChunkAnswer> {
    const { port1, port2 } = new MessageChannel();
    port1.on('message', onProgress);
    try {
      return await this.#pool.run({ ...task, progress: port2 }, { transferList: [port2] });
    } finally {
      port1.close();
    }
  }

  close(): Promise<void> {
    return this.#pool.destroy();
  }
}
