/** The one place where work runs on a timer: a failure is logged and the next turn comes all the same. */
import type { Logger } from 'pino';
import { isUnreachable } from './database/database.js';

export interface Periodic {
  /** Ends it; work under way is waited for. */
  stop(): Promise<void>;
}

/** Runs work again and again, `everyMs` after the last time ended. */
export function runPeriodically(name: string, everyMs: number, work: () => Promise<unknown>, logger: Logger): Periodic {
  let isStopped = false;
  let underWay: Promise<void> = Promise.resolve();
  let timer: NodeJS.Timeout;
  const turn = async (): Promise<void> => {
    try {
      await work();
    } catch (error) {
      if (isUnreachable(error)) logger.warn({ err: error, name }, 'periodic work waits for the database');
      else logger.error({ err: error, name }, 'periodic work failed');
    }
    if (!isStopped) schedule();
  };
  const schedule = (): void => {
    timer = setTimeout(() => (underWay = turn()), everyMs);
    timer.unref();
  };
  schedule();
  return {
    async stop() {
      isStopped = true;
      clearTimeout(timer);
      await underWay;
    },
  };
}
