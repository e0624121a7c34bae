import { MessageChannel } from 'node:worker_threads';
import { Piscina } from 'piscina';
import type { FilterTask, JudgeAnswer, JudgeTask } from './replay-worker.js';

const isSource = import.meta.url.endsWith('.ts');

/** Worker threads that judge and filter chunks. */
export class JudgingPool {
  readonly #pool: Piscina;

  constructor(numThreads: number) {
    this.#pool = new Piscina({
      filename: new URL(`./replay-worker.${isSource ? 'ts' : 'js'}`, import.meta.url).href,
      execArgv: isSource ? ['--import', 'tsx', '--conditions=jade-source'] : [],
      minThreads: numThreads,
      maxThreads: numThreads,
    });
  }

  async judge(task: Omit<JudgeTask, 'progress'>, onProgress: (numRowsDone: number) => void): Promise<JudgeAnswer> {
    const { port1, port2 } = new MessageChannel();
    port1.on('message', onProgress);
    try {
      return (await this.#pool.run({ ...task, progress: port2 }, { name: 'judgeChunk', transferList: [port2] })) as JudgeAnswer;
    } finally {
      port1.close();
    }
  }

  /** @returns the rows of the chunk that match, ascending */
  async filter(task: FilterTask): Promise<Uint32Array> {
    return (await this.#pool.run(task, { name: 'filterDecisions' })) as Uint32Array;
  }

  close(): Promise<void> {
    return this.#pool.destroy();
  }
}
