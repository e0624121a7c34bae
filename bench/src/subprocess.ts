/** One side of a comparison in its own process, so that what it keeps does not slow the garbage collection of others. */
import { fork, type ChildProcess } from 'node:child_process';

export class Side {
  readonly #child: ChildProcess;

  /** @param url of a module that calls `serveSide` with what is wanted of it */
  constructor(url: URL, args: readonly string[]) {
    this.#child = fork(url, args);
  }

  /** Does a piece of work there. @returns its result, once it is done */
  do<T = void>(name: string): Promise<T> {
    return new Promise((resolve, reject) => {
      const ended = (code: number | null): void => reject(new Error(`a side of the bench ended with ${code}`));
      this.#child.once('exit', ended);
      this.#child.once('message', (result) => {
        this.#child.off('exit', ended);
        resolve(result as T);
      });
      this.#child.send(name);
    });
  }

  end(): void {
    this.#child.disconnect();
  }
}

/** Runs the tasks that the parent requests, by name. */
export function serveSide(works: Readonly<Record<string, () => unknown>>): void {
  process.on('message', (name: string) => process.send!(works[name]!() ?? null));
}
