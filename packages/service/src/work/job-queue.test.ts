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

function recorder(): { readonly runner: JobRunner; readonly runs: string[]; untilRun(job: string): Promise<void> } {
  const runs: string[] = [];
  const run = (job: string): Promise<void> => Promise.resolve(void runs.push(job));
  return {
    runs,
    runner: {
      replay: (id) => run(`replay ${id}`),
      comparison: (id) => run(`comparison ${id}`),
      check: (id) => run(`check ${id}`),
    },
    untilRun: async (job) => {
      while (!runs.includes(job)) await new Promise((resolve) => setTimeout(resolve, 20));
    },
  };
}

describe('the job queue', () => {
  it('runs a job once, however often it was added before a worker took it', async () => {
    const first = open();
    const { runner, runs, untilRun } = recorder();
    await new Promise<void>((begun) => {
      const neverEnding = (): Promise<void> => {
        begun();
        return new Promise(() => undefined);
      };
      void first.start({ ...runner, replay: neverEnding }).then(() => first.addReplay(1));
    });
    for (let start = 0; start < 10; start += 1) {
      await first.addReplay(2);
      await first.addComparison(2);
      await first.addCheck(2, null);
    }
    await first.addReplay(3);

    const second = open();
    await second.start(runner);
    await untilRun('replay 3');
    await untilRun('comparison 2');
    await untilRun('check 2');
    await second.stop();
    expect(runs.toSorted()).toEqual(['check 2', 'comparison 2', 'replay 2', 'replay 3']);
    await first.stop();
  });
});
