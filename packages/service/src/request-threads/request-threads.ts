import { MessageChannel, type MessagePort } from 'node:worker_threads';
import { Piscina } from 'piscina';
import type { Logger } from 'pino';
import type { Config } from '../config.js';
import type { RequestAnswer, RequestTask } from '../http/answer.js';
import { ProblemError } from '../http/problem.js';
import type { RequestThread, Route } from '../http/route.js';
import type { RequestAnswerer } from '../http/router.js';
import { serveCalls, unpackError, type Failure } from '../threads/calls.js';
import type { Job, JobArguments, JobResult } from './request-worker.js';

/** What is given to a thread when it starts. */
export interface RequestThreadSetting {
  readonly config: Config;
  /** How many threads judge. */
  readonly numJudging: number;
  readonly maxConnections: number;
}

interface ThreadsOfKind {
  readonly maxThreads: number;
  readonly concurrentTasksPerWorker: number;
  readonly connections: number;
  /** Room for new objects; reading a list of many thousand entries otherwise takes as long again to collect them. */
  readonly maxYoungGenerationSizeMb?: number;
}

/** Of each kind: how many threads there may be, and how much one has under way at once. */
const THREADS: Record<RequestThread, ThreadsOfKind> = {
  rules: { maxThreads: 2, concurrentTasksPerWorker: 1, connections: 4, maxYoungGenerationSizeMb: 96 },
  pages: { maxThreads: 1, concurrentTasksPerWorker: 32, connections: 8 },
};
const IDLE_MS = 60_000;
const MAX_WAITING = 500;
const RETRY_SECONDS = 2;

/** Threads with their own database connections, which answer requests that may take long. */
export class RequestThreads implements RequestAnswerer {
  readonly #pools: Readonly<Record<RequestThread, Piscina>>;

  /** Starts the threads. @param targets what they call here, by name */
  constructor(
    private readonly config: Config,
    private readonly numJudging: number,
    private readonly targets: Readonly<Record<string, object>>,
    private readonly logger: Logger,
  ) {
    this.#pools = { rules: this.#start('rules'), pages: this.#start('pages') };
  }

  /** @throws ProblemError where it takes longer than the service allows, or too many wait */
  async answer({ thread }: Route, task: RequestTask, signal: AbortSignal): Promise<RequestAnswer | undefined> {
    const { port1, port2 } = new MessageChannel();
    const reportGone = (): void => port1.postMessage(null);
    signal.addEventListener('abort', reportGone);
    try {
      return (await this.#run(thread!, 'answer', { task, gone: port2 }, [port2])) as RequestAnswer | undefined;
    } finally {
      signal.removeEventListener('abort', reportGone);
      port1.close();
    }
  }

  /** Work of the service's own that takes long. */
  async job<N extends Job>(thread: RequestThread, name: N, ...args: JobArguments<N>): Promise<JobResult<N>> {
    const result = (await this.#run(thread, 'runJob', { name, args }, [])) as { value: JobResult<N> } | Failure;
    if ('value' in result) return result.value;
    throw unpackError(result);
  }

  async close(): Promise<void> {
    await Promise.all(Object.values(this.#pools).map((pool) => pool.destroy()));
  }

  async #run(kind: RequestThread, name: string, task: object, transferList: MessagePort[]): Promise<unknown> {
    const pool = this.#pools[kind];
    if (pool.queueSize >= MAX_WAITING)
      throw new ProblemError('busy', 'Too many requests wait already.', { retryAfterSeconds: RETRY_SECONDS });
    // A thread that shows pages has other requests under way, and waits more than it computes.
    const timeout = kind === 'rules' ? AbortSignal.timeout(this.config.requestSeconds * 1000) : undefined;
    try {
      return await pool.run(task, { name, transferList, signal: timeout });
    } catch (error) {
      if (!timeout?.aborted) throw error;
      throw new ProblemError(
        'too-slow',
        `This took longer than ${this.config.requestSeconds} s and was given up; nothing was changed.`,
        { hint: 'Try it with fewer rules, or raise JADEFENCE_REQUEST_SECONDS.' },
      );
    }
  }

  #start(kind: RequestThread): Piscina {
    const { maxThreads, concurrentTasksPerWorker, connections, maxYoungGenerationSizeMb } = THREADS[kind];
    const setting: RequestThreadSetting = {
      config: this.config,
      numJudging: this.numJudging,
      maxConnections: connections,
    };
    const pool = new Piscina({
      filename: new URL('./request-worker.js', import.meta.url).href,
      minThreads: 1,
      maxThreads,
      idleTimeout: IDLE_MS,
      concurrentTasksPerWorker,
      // The threads wait for connections, too, not for tasks alone.
      atomics: 'disabled',
      resourceLimits: { maxYoungGenerationSizeMb },
      workerData: setting,
    });
    pool.on('message', ({ calls }: { calls: MessagePort }) => serveCalls(calls, this.targets));
    pool.on('error', (error) => this.logger.error({ err: error, threads: kind }, 'a thread ended'));
    return pool;
  }
}
