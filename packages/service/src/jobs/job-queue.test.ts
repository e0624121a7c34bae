import { pino } from 'pino';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { createTestDatabase } from '../../../../e2e/src/test-database.js';
import { JobQueue, type JobRunner } from './job-queue.js';

let database: Awaited<ReturnType<typeof createTestDatabase>>;
beforeAll(async () => {
  database = await createTestDatabase();
});
afterAll(() => database.drop());

const open = (): JobQueue => new JobQueue(database.url, pino({ level: 'silent' }));

/** Notes which jobs ran; where it is endless, they do not end. */
class Recorder {
  readonly runs: string[] = [];
  readonly runner: JobRunner = {
    replay: (id) => this.#run(`replay ${id}`),
    comparison: (id) => this.#run(`comparison ${id}`),
    check: (id) => this.#run(`check ${id}`),
  };

  constructor(private readonly isEndless: boolean) {}

  async untilRun(...jobs: readonly string[]): Promise<void> {
    while (jobs.some((job) => !this.runs.includes(job))) await new Promise((resolve) => setTimeout(resolve, 20));
  }

  #run(job: string): Promise<void> {
    this.runs.push(job);
    return this.isEndless ? new Promise(() => undefined) : Promise.resolve();
  }
}

describe('the job queue', () => {
  it('runs a job once, however often it was added before a worker took it', async () => {
    const [busy, free] = [new Recorder(true), new Recorder(false)];
    const first = open();
    await first.start(busy.runner);
    await Promise.all([first.addReplay(1), first.addComparison(1), first.addCheck(1, null)]);
    await busy.untilRun('replay 1', 'comparison 1', 'check 1');
    for (let start = 0; start < 10; start += 1) {
      await first.addReplay(2);
      await first.addComparison(2);
      await first.addCheck(2, null);
    }
    await first.addReplay(3);

    const second = open();
    await second.start(free.runner);
    await free.untilRun('replay 3', 'comparison 2', 'check 2');
    await second.stop();
    expect(free.runs.toSorted()).toEqual(['check 2', 'comparison 2', 'replay 2', 'replay 3']);
    await first.stop();
  });
});
