/** Bounds how much of one kind of work is under way at once; more of it waits, and beyond that is refused. */
import { ProblemError } from './http/problem.js';

const RETRY_SECONDS = 10;

export class Admission {
  #numUnderWay = 0;
  readonly #waiting: (() => void)[] = [];

  /**
   * @param what names the work in messages, such as `imports`
   * @param setting names the setting that allows more
   */
  constructor(
    private readonly what: string,
    private readonly maxUnderWay: number,
    private readonly maxWaiting: number,
    private readonly setting: string,
  ) {}

  /** @throws ProblemError `busy` where too much waits already */
  async run<T>(work: () => Promise<T>): Promise<T> {
    if (this.#numUnderWay >= this.maxUnderWay) {
      if (this.#waiting.length >= this.maxWaiting)
        throw new ProblemError(
          'busy',
          `${this.#numUnderWay} ${this.what} are under way and ${this.#waiting.length} wait already.`,
          { hint: `Try again later, or raise ${this.setting}.`, retryAfterSeconds: RETRY_SECONDS },
        );
      await new Promise<void>((resolve) => this.#waiting.push(resolve));
    } else this.#numUnderWay += 1;
    try {
      return await work();
    } finally {
      // The place is handed on, so that no later caller takes it.
      const next = this.#waiting.shift();
      if (next) next();
      else this.#numUnderWay -= 1;
    }
  }

  /** How much is under way and how much waits. */
  get state(): { readonly underWay: number; readonly waiting: number } {
    return { underWay: this.#numUnderWay, waiting: this.#waiting.length };
  }
}

/**
 * Refuses more work of a kind that waits in the database, whichever process it waits for.
 * @param query over its rows
 * @throws ProblemError `busy`
 */
export async function refuseCrowd(
  query: { where(equal: { state: string }): { resultSize(): Promise<number> } },
  what: string,
  maxWaiting: number,
): Promise<void> {
  const waiting = await query.where({ state: 'waiting' }).resultSize();
  if (waiting >= maxWaiting)
    throw new ProblemError('busy', `${waiting} ${what} wait already.`, {
      hint: 'Try again later, or raise JADEFENCE_MAX_WAITING.',
      retryAfterSeconds: RETRY_SECONDS,
    });
}
