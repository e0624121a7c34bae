/** From the route table to handlers of requests: who may call, how much they may send, and where it is answered. */
import express, { type Request, type RequestHandler, type Response, type Router } from 'express';
import type { Logger } from 'pino';
import type { AnswerPresenter, RequestAnswer, RequestTask } from './answer.js';
import type { Actor, Authenticator } from './authenticate.js';
import { decode } from './decode.js';
import { parseBody, readBodyOf } from './json-body.js';
import { ProblemError, sendProblem } from './problem.js';
import type { Route, StreamContext } from './route.js';

/** Answers requests elsewhere than on the event loop. */
export interface RequestAnswerer {
  /** @param signal aborted when the caller has gone; the answer is then undefined */
  answer(definition: Route, task: RequestTask, signal: AbortSignal): Promise<RequestAnswer | undefined>;
}

/** Slow bodies are cut off; uploads take as long as they take while bytes come. */
const BODY_TIMEOUT_MS = 30_000;
const UPLOAD_IDLE_MS = 60_000;

export function buildRouter(
  routes: readonly Route[],
  authenticator: Authenticator,
  threads: RequestAnswerer,
  presenter: AnswerPresenter,
  logger: Logger,
): Router {
  const router = express.Router();
  for (const definition of routes) {
    const readBody = readBodyOf(definition);
    const guard: RequestHandler = async (request, response, next) => {
      response.setHeader('cache-control', 'no-store');
      limitBodyTime(definition, request);
      response.locals['actor'] = await authenticator.admit(request, definition.access);
      next();
    };
    router[definition.method](definition.path, guard, readBody, (request, response) =>
      definition.thread
        ? relay(definition, threads, logger, request, response)
        : answer(definition, presenter, request, response),
    );
  }
  router.use((request) => {
    throw new ProblemError('not-found', `There is no ${request.method} ${request.path}.`);
  });
  return router;
}

/** Ends the connection of a request whose body does not come. */
function limitBodyTime({ takesUpload }: Route, request: Request): void {
  if (takesUpload) {
    request.setTimeout(UPLOAD_IDLE_MS, () => request.destroy());
    return;
  }
  const timer = setTimeout(() => {
    if (!request.complete) request.destroy();
  }, BODY_TIMEOUT_MS);
  timer.unref();
  request.once('close', () => clearTimeout(timer));
  request.once('end', () => clearTimeout(timer));
}

/** Aborted when the caller has gone. */
function goneSignal(response: Response): AbortSignal {
  const gone = new AbortController();
  response.on('close', () => gone.abort());
  return gone.signal;
}

function bytesOf({ body }: Request): Uint8Array | undefined {
  return body instanceof Uint8Array ? body : undefined;
}

/** Has a thread answer, and sends what it answers. */
async function relay(
  definition: Route,
  threads: RequestAnswerer,
  logger: Logger,
  request: Request,
  response: Response,
): Promise<void> {
  const signal = goneSignal(response);
  const task: RequestTask = {
    method: definition.method,
    path: definition.path,
    params: { ...request.params },
    query: { ...request.query },
    body: bytesOf(request),
    actor: response.locals['actor'] as Actor,
    ifMatch: request.headers['if-match'],
  };
  const answered = await threads.answer(definition, task, signal);
  if (!answered || signal.aborted) return;
  if ('problem' in answered) {
    const { problem, unforeseen } = answered;
    if (unforeseen !== undefined) logger.error({ stack: unforeseen, url: request.originalUrl }, 'unforeseen error');
    return sendProblem(response, new ProblemError(problem.code, problem.message, problem.extra));
  }
  response.status(answered.status).set(answered.headers);
  if (!answered.body) response.end();
  else response.type('json').send(Buffer.from(answered.body.buffer, answered.body.byteOffset, answered.body.length));
}

async function answer(
  definition: Route,
  presenter: AnswerPresenter,
  request: Request,
  response: Response,
): Promise<void> {
  const signal = goneSignal(response);
  const context = {
    params: await decode(definition.params, request.params),
    query: await decode(definition.query, request.query),
    body: await decode(definition.body, definition.body && parseBody(definition, bytesOf(request))),
    actor: response.locals['actor'] as Actor,
    ifMatch: request.headers['if-match'],
    setHeader: (name: string, value: string) => void response.setHeader(name, value),
    request,
    response,
    signal,
  };
  let result: unknown;
  try {
    const handled = await definition.handle(context as StreamContext<never, never, never>);
    result = handled === undefined ? undefined : await presenter.present(definition, context.actor, handled);
  } catch (error) {
    // What was cancelled for that is no error, and is not reported.
    if (signal.aborted && error === signal.reason) return;
    throw error;
  }
  if (response.headersSent || signal.aborted) return;
  if (result === undefined) response.status(204).end();
  else response.status(definition.status ?? 200).json(result);
}
