import PgBoss from 'pg-boss';
import type { Logger } from 'pino';
import { isUnreachable } from '../database/database.js';

const POLLING_SECONDS = 0.5;
const REPLAY_QUEUE = 'replay';
const COMPARISON_QUEUE = 'comparison';
const CHECK_QUEUE = 'dataset-check';

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
    await this.#boss.createQueue(REPLAY_QUEUE);
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
    await this.#boss.createQueue(COMPARISON_QUEUE);
    await this.#boss.work<{ comparisonId: number }>(
      COMPARISON_QUEUE,
      { pollingIntervalSeconds: POLLING_SECONDS },
      async (jobs) => {
        for (const { data } of jobs) await runner.comparison(data.comparisonId);
      },
    );
    await this.#boss.createQueue(CHECK_QUEUE);
    await this.#boss.work<{ datasetId: number; userId: number | null }>(
      CHECK_QUEUE,
      { pollingIntervalSeconds: POLLING_SECONDS },
      async (jobs) => {
        for (const { data } of jobs) await runner.check(data.datasetId, data.userId);
      },
    );
  }

  async addCheck(datasetId: number, userId: number | null): Promise<void> {
    await this.#boss.send(CHECK_QUEUE, { datasetId, userId }, { retryLimit: 2, expireInHours: 23 });
  }

  async addReplay(replayId: number): Promise<void> {
    await this.#boss.send(REPLAY_QUEUE, { replayId }, { retryLimit: 2, expireInHours: 23 });
  }

  async addComparison(comparisonId: number): Promise<void> {
    await this.#boss.send(COMPARISON_QUEUE, { comparisonId }, { retryLimit: 2, expireInHours: 23 });
  }

  async stop(): Promise<void> {
    await this.#boss.stop({ graceful: true, timeout: 5000 });
  }
}
