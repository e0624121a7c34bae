import PgBoss from 'pg-boss';
import type { Logger } from 'pino';

const POLLING_SECONDS = 0.5;
const REPLAY_QUEUE = 'replay';

/** Jobs kept in PostgreSQL, so that they outlive the process. */
export class JobQueue {
  readonly #boss: PgBoss;

  constructor(
    databaseUrl: string,
    private readonly logger: Logger,
  ) {
    this.#boss = new PgBoss({ connectionString: databaseUrl, max: 3, schema: 'jobs' });
    this.#boss.on('error', (error) => logger.error({ err: error }, 'job queue'));
  }

  /** Starts taking jobs. A job whose process dies is taken up again by the next start of the service. */
  async start(run: (replayId: number) => Promise<void>): Promise<void> {
    await this.#boss.start();
    await this.#boss.createQueue(REPLAY_QUEUE);
    await this.#boss.work<{ replayId: number }>(
      REPLAY_QUEUE,
      { pollingIntervalSeconds: POLLING_SECONDS },
      async (jobs) => {
        for (const { data } of jobs) {
          this.logger.info({ replay: data.replayId }, 'replay begins');
          await run(data.replayId);
        }
      },
    );
  }

  async addReplay(replayId: number): Promise<void> {
    await this.#boss.send(REPLAY_QUEUE, { replayId }, { retryLimit: 2, expireInHours: 23 });
  }

  async stop(): Promise<void> {
    await this.#boss.stop({ graceful: true, timeout: 5000 });
  }
}
