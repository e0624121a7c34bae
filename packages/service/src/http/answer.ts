/** A request that another thread may answer, and its answer: plain data, so that both can be sent. */
import type { Actor } from './authenticate.js';
import { decode } from './decode.js';
import { parseBody } from './json-body.js';
import { toProblem, type ProblemError } from './problem.js';
import type { Route, StreamContext } from './route.js';

export interface RequestTask {
  readonly method: Route['method'];
  /** As in the route table. */
  readonly path: string;
  readonly params: object;
  readonly query: object;
  /** The body as it was sent, decompressed; undefined where there was none. */
  readonly body: Uint8Array | undefined;
  readonly actor: Actor;
  readonly ifMatch: string | undefined;
}

export type RequestAnswer =
  | {
      readonly status: number;
      readonly headers: Readonly<Record<string, string>>;
      readonly body: Uint8Array | undefined;
    }
  | {
      readonly problem: Pick<ProblemError, 'code' | 'message' | 'extra'>;
      /** An unexpected error, for the log. */
      readonly unforeseen?: string;
    };

/** Makes of an answer what its caller may see. */
export interface AnswerPresenter {
  present(definition: Route, actor: Actor | undefined, answer: unknown): Promise<unknown>;
}

const encoder = new TextEncoder();

/** @param signal aborted when the caller has gone; the answer is then undefined */
export async function answerRequest(
  definition: Route,
  task: RequestTask,
  presenter: AnswerPresenter,
  signal: AbortSignal,
): Promise<RequestAnswer | undefined> {
  const headers: Record<string, string> = {};
  try {
    const context = {
      params: await decode(definition.params, task.params),
      query: await decode(definition.query, task.query),
      body: await decode(definition.body, definition.body && parseBody(definition, task.body)),
      actor: task.actor,
      ifMatch: task.ifMatch,
      setHeader: (name: string, value: string) => void (headers[name] = value),
      signal,
    };
    const handled = await definition.handle(context as unknown as StreamContext<never, never, never>);
    const result = await presenter.present(definition, task.actor, handled);
    if (result === undefined) return { status: 204, headers, body: undefined };
    return { status: definition.status ?? 200, headers, body: encoder.encode(JSON.stringify(result)) };
  } catch (error) {
    // What was cancelled for that is no error, and is not reported.
    if (signal.aborted && error === signal.reason) return undefined;
    return answerError(error);
  }
}

export function answerError(error: unknown): RequestAnswer {
  const { code, message, extra } = toProblem(error);
  return {
    problem: { code, message, extra },
    ...(code === 'internal' ? { unforeseen: (error as Error).stack ?? String(error) } : {}),
  };
}
