import PgBoss from 'pg-boss';
import type { Logger } from 'pino';
import { isUnreachable } from '../database/database.js';

const POLLING_SECONDS = 0.5;
const REPLAY_QUEUE = 'replay';
const COMPARISON_QUEUE = 'comparison';
const CHECK_QUEUE = 'dataset-check';
/** One waiting job for a key: what is unfinished is added again at every start and would pile up otherwise. */
const POLICY = { policy: 'short' } as const;

/** What is done with each kind of job. */
export interface JobRunner {
  replay(replayId: number): Promise<void>;
  comparison(comparisonId: number): Promise<void>;
  /** Finds what a dataset would change. */
  check(datasetId: number, userId: number | null): Promise<void>;
}

/** What puts jobs into the queue. */
export type JobAdder = Pick<JobQueue, 'addReplay' | 'addComparison' | 'addCheck'>;

/** Jobs kept in PostgreSQL, so that they outlive the process. */
export class JobQueue {
  readonly #boss: PgBoss;

  constructor(
    databaseUrl: string,
    private readonly logger: Logger,
  ) {
    this.#boss = new PgBoss({ connectionString: databaseUrl, max: 3, schema: 'jobs' });
    // Its own work on a timer, too: while the database is away it only reports that.
    this.#boss.on('error', (error) => {
      if (isUnreachable(error)) logger.warn({ err: error }, 'the job queue waits for the database');
      else logger.error({ err: error }, 'job queue');
    });
  }

  /** Starts taking jobs. A job whose process dies is taken up again by the next start of the service. */
  async start(runner: JobRunner): Promise<void> {
    await this.#boss.start();
    await this.#openQueue(REPLAY_QUEUE);
    await this.#boss.work<{ replayId: number }>(
      REPLAY_QUEUE,
      { pollingIntervalSeconds: POLLING_SECONDS },
      async (jobs) => {
        for (const { data } of jobs) {
          this.logger.info({ replay: data.replayId }, 'replay begins');
          await runner.replay(data.replayId);
        }
      },
    );
    await this.#openQueue(COMPARISON_QUEUE);
    await this.#boss.work<{ comparisonId: number }>(
      COMPARISON_QUEUE,
      { pollingIntervalSeconds: POLLING_SECONDS },
      async (jobs) => {
        for (const { data } of jobs) await runner.comparison(data.comparisonId);
      },
    );
    await this.#openQueue(CHECK_QUEUE);
    await this.#boss.work<{ datasetId: number; userId: number | null }>(
      CHECK_QUEUE,
      { pollingIntervalSeconds: POLLING_SECONDS },
      async (jobs) => {
        for (const { data } of jobs) await runner.check(data.datasetId, data.userId);
      },
    );
  }

  /** Queues of earlier versions are changed to the policy. */
  async #openQueue(name: string): Promise<void> {
    await this.#boss.createQueue(name, { name, ...POLICY });
    await this.#boss.updateQueue(name, { name, ...POLICY });
  }

  async addCheck(datasetId: number, userId: number | null): Promise<void> {
    await this.#boss.send(CHECK_QUEUE, { datasetId, userId }, jobOptions(datasetId));
  }

  async addReplay(replayId: number): Promise<void> {
    await this.#boss.send(REPLAY_QUEUE, { replayId }, jobOptions(replayId));
  }

  async addComparison(comparisonId: number): Promise<void> {
    await this.#boss.send(COMPARISON_QUEUE, { comparisonId }, jobOptions(comparisonId));
  }

  async stop(): Promise<void> {
    await this.#boss.stop({ graceful: true, timeout: 5000 });
  }
}

function jobOptions(id: number): PgBoss.SendOptions {
  return { retryLimit: 2, expireInHours: 23, singletonKey: String(id) };
}
