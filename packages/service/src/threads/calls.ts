/** Calls of methods of objects that another thread has. */
import type { MessagePort, TransferListItem } from 'node:worker_threads';
import { ProblemError } from '../http/problem.js';

interface Call {
  readonly id: number;
  readonly target: string;
  readonly method: string;
  readonly args: readonly unknown[];
}

type Result = { readonly id: number } & ({ readonly value: unknown } | { readonly failure: Failure });

/** An error as it is sent. */
export interface Failure {
  readonly message: string;
  readonly stack?: string;
  /** Of Node, PostgreSQL or a problem. */
  readonly code?: string;
  /** Of a problem. */
  readonly extra?: ProblemError['extra'];
}

type Methods = Record<string, (...args: unknown[]) => Promise<unknown>>;

/** Answers calls that come in at a port. @param targets by the names that callers know them by */
export function serveCalls(port: MessagePort, targets: Readonly<Record<string, object>>): void {
  port.on('message', ({ id, target, method, args }: Call) => {
    const called = targets[target] as Methods;
    Promise.resolve(called[method]!(...args)).then(
      (value) => port.postMessage({ id, value } satisfies Result),
      (error: unknown) => port.postMessage({ id, failure: packError(error) } satisfies Result),
    );
  });
  port.unref();
}

/** The other end of `serveCalls`. */
export class Caller {
  readonly #waiting = new Map<number, { resolve(value: unknown): void; reject(error: Error): void }>();
  #nextId = 1;

  constructor(private readonly port: MessagePort) {
    port.on('message', (result: Result) => {
      const { resolve, reject } = this.#waiting.get(result.id)!;
      this.#waiting.delete(result.id);
      if ('failure' in result) reject(unpackError(result.failure));
      else resolve(result.value);
    });
  }

  /**
   * A proxy of an object of the other thread.
   * @param own what is known here without a call
   * @param transfersOf what of the arguments of a method is handed over, not copied
   */
  to<T extends object>(
    target: string,
    members: Partial<T> = {},
    transfersOf: (method: string, args: unknown[]) => TransferListItem[] = () => [],
  ): T {
    const call = (method: string, args: unknown[]): Promise<unknown> =>
      new Promise((resolve, reject) => {
        const id = this.#nextId++;
        this.#waiting.set(id, { resolve, reject });
        this.port.postMessage({ id, target, method, args } satisfies Call, transfersOf(method, args));
      });
    return new Proxy(members as T, {
      get: (members, method) => Reflect.get(members, method) ?? ((...args: unknown[]) => call(String(method), args)),
    });
  }
}

export function packError(error: unknown): Failure {
  const { message, stack, code } = error as Error & { code?: string };
  return { message, stack, code, ...(error instanceof ProblemError ? { extra: error.extra } : {}) };
}

export function unpackError({ message, stack, code, extra }: Failure): Error {
  if (extra) return new ProblemError(code as ProblemError['code'], message, extra);
  return Object.assign(new Error(message), { stack, code });
}
