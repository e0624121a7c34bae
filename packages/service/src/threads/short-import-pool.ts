import { LogOptionsError } from '@jadefence/core/logs';
import type { Survey } from '@jadefence/core/survey';
import type { Imported } from '@jadefence/files';
import { Piscina } from 'piscina';
import type { Logger } from 'pino';
import type { ShortImportAnswer, ShortImportTask } from './short-import-worker.js';

const IDLE_MS = 60_000;

/** One thread for all short logs, since starting threads for one takes longer than importing it. */
export class ShortImportPool {
  #started: Piscina | undefined;

  constructor(private readonly logger: Logger) {}

  /** @throws LogOptionsError if the options given for the log do not fit it */
  async import(task: ShortImportTask): Promise<{ readonly imported: Imported; readonly survey: Survey }> {
    const answer = (await (this.#started ??= this.#start()).run(task, { name: 'importShort' })) as ShortImportAnswer;
    if ('failure' in answer) throw new LogOptionsError(answer.failure.message, answer.failure.hint);
    return answer;
  }

  async close(): Promise<void> {
    await this.#started?.destroy();
  }

  #start(): Piscina {
    const pool = new Piscina({
      filename: new URL('./short-import-worker.js', import.meta.url).href,
      minThreads: 0,
      maxThreads: 1,
      idleTimeout: IDLE_MS,
    });
    pool.on('error', (error) => this.logger.error({ err: error }, 'a thread that imports short logs ended'));
    return pool;
  }
}
