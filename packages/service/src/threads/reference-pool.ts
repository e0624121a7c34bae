import { Piscina } from 'piscina';
import type { Logger } from 'pino';
import { ProblemError } from '../http/problem.js';
import type { ReferenceAnswer, ReferenceTask } from './reference-worker.js';

const IDLE_MS = 10_000;

/** Several, so that one slow file does not keep all others waiting. */
const MAX_THREADS = 2;

/** Threads that read reference data, started when there is something to read and ended when there is nothing more. */
export class ReferencePool {
  #started: Piscina | undefined;

  /** @param timeoutMs how long reading one file may take */
  constructor(
    private readonly timeoutMs: number,
    private readonly logger: Logger,
  ) {}

  /**
   * @param signal ends the reading
   * @throws ProblemError where it took too long
   */
  async read(task: ReferenceTask, signal?: AbortSignal): Promise<ReferenceAnswer> {
    const timeout = AbortSignal.timeout(this.timeoutMs);
    try {
      return (await (this.#started ??= this.#start()).run(task, {
        name: 'readReference',
        // The thread ends with it, whatever it does at that moment.
        signal: signal ? AbortSignal.any([timeout, signal]) : timeout,
      })) as ReferenceAnswer;
    } catch (error) {
      if (!timeout.aborted) throw error;
      throw new ProblemError(
        'bad-reference-data',
        `Reading the file took longer than ${this.timeoutMs / 1000} s; nothing of it is kept.`,
      );
    }
  }

  #start(): Piscina {
    const pool = new Piscina({
      filename: new URL('./reference-worker.js', import.meta.url).href,
      minThreads: 0,
      maxThreads: MAX_THREADS,
      idleTimeout: IDLE_MS,
    });
    pool.on('error', (error) => this.logger.error({ err: error }, 'a thread that reads reference data ended'));
    return pool;
  }

  async close(): Promise<void> {
    await this.#started?.destroy();
  }
}
