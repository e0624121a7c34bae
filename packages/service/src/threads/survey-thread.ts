import { once } from 'node:events';
import { Worker } from 'node:worker_threads';
import type { Survey } from '@jadefence/core/survey';
import type { Imported } from '@jadefence/files';
import type { SharedReferenceData } from '../reference/shared-reference-data.js';
import type { SurveyAnswer, SurveyPiece } from './survey-worker.js';

/** A thread that surveys one log while it comes in. */
export class SurveyThread {
  readonly #worker: Worker;
  #answer: Promise<SurveyAnswer> = Promise.resolve(undefined);
  #failure: Error | undefined;

  /** @param referenceData supplies the country table */
  constructor(referenceData: SharedReferenceData) {
    this.#worker = new Worker(new URL('./survey-worker.js', import.meta.url), {
      workerData: referenceData,
      execArgv: [],
    });
    this.#worker.on('error', (error: Error) => (this.#failure = error));
  }

  /** Waits for what was added before, so that no more than this is on its way. */
  async add(imported: Imported): Promise<void> {
    if (imported.chunks.length > 0 || imported.rejected.length > 0) await this.#send(imported);
  }

  async finish(): Promise<Survey> {
    await this.#send({ isEnd: true });
    return (await this.#answer)!;
  }

  async end(): Promise<void> {
    await this.#worker.terminate();
  }

  async #send(piece: SurveyPiece): Promise<void> {
    await this.#answer;
    if (this.#failure) throw this.#failure;
    // An error of the thread is the answer.
    this.#answer = once(this.#worker, 'message').then(([answer]) => answer as SurveyAnswer);
    // Its consumer handles a failure, which may occur before anybody waits.
    this.#answer.catch(() => undefined);
    this.#worker.postMessage(piece);
  }
}
