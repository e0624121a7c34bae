import type { Role } from '@jadefence/contract';
import { plainToInstance } from 'class-transformer';
import { validate, type ValidationError } from 'class-validator';
import express, { type Request, type RequestHandler, type Response, type Router } from 'express';
import type { Actor, Authenticator } from './authenticate.js';
import { readJsonBody } from './json-body.js';
import { ProblemError } from './problem.js';

type Class<T> = new () => T;

/** What a handler gets: every part of the request decoded and checked. */
export interface RouteContext<P, Q, B> {
  readonly params: P;
  readonly query: Q;
  readonly body: B;
  /** Undefined only where the route needs nobody. */
  readonly actor: Actor;
  readonly request: Request;
  readonly response: Response;
  /** Aborted when whoever asks has gone. */
  readonly signal: AbortSignal;
}

/** One row of the route table. */
export interface Route {
  readonly method: 'get' | 'post' | 'put' | 'delete';
  /** Below `/api/v1`. */
  readonly path: string;
  /** Who may call it; `nobody` means that no sign-in is needed. */
  readonly needs: Role | 'nobody';
  readonly params?: Class<object>;
  readonly query?: Class<object>;
  readonly body?: Class<object>;
  /** The body may hold whole configurations or lists; unless said it is small. */
  readonly hasLargeBody?: boolean;
  /** The handler reads the body itself, as a stream. */
  readonly takesUpload?: boolean;
  readonly status?: number;
  /** Answers the JSON to send, or undefined where nothing is to be sent or the handler has sent it. */
  readonly handle: (context: RouteContext<never, never, never>) => Promise<unknown>;
}

/** Declares a route with the types of its parts. */
export function route<P extends object = object, Q extends object = object, B extends object = object>(
  definition: Omit<Route, 'params' | 'query' | 'body' | 'handle'> & {
    readonly params?: Class<P>;
    readonly query?: Class<Q>;
    readonly body?: Class<B>;
    readonly handle: (context: RouteContext<P, Q, B>) => Promise<unknown>;
  },
): Route {
  return definition as Route;
}

const KIB = 1024;
/** Nobody is known yet, so that what they send must cost next to nothing. */
const readPublicBody = readJsonBody(16 * KIB, 100);
const readSmallBody = readJsonBody(256 * KIB, 5_000);
const readLargeBody = readJsonBody(64 * KIB * KIB, 1_000_000);
const readNoBody: RequestHandler = (_request, _response, next) => next();

function bodyReaderFor({ body, needs, hasLargeBody }: Route): RequestHandler {
  if (!body) return readNoBody;
  return needs === 'nobody' ? readPublicBody : hasLargeBody ? readLargeBody : readSmallBody;
}

/** Slow bodies are cut off; uploads take as long as they take while bytes come. */
const BODY_TIMEOUT_MS = 30_000;
const UPLOAD_IDLE_MS = 60_000;

export function buildRouter(routes: readonly Route[], authenticator: Authenticator): Router {
  const router = express.Router();
  for (const definition of routes) {
    const readBody = bodyReaderFor(definition);
    const guard: RequestHandler = async (request, response, next) => {
      response.setHeader('cache-control', 'no-store');
      limitBodyTime(definition, request);
      response.locals['actor'] = await authenticator.admit(request, definition.needs);
      next();
    };
    router[definition.method](definition.path, guard, readBody, (request, response) =>
      answer(definition, request, response),
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

async function answer(definition: Route, request: Request, response: Response): Promise<void> {
  const gone = new AbortController();
  response.on('close', () => gone.abort());
  const context = {
    params: await decode(definition.params, request.params),
    query: await decode(definition.query, request.query),
    body: await decode(definition.body, request.body),
    actor: response.locals['actor'] as Actor,
    request,
    response,
    signal: gone.signal,
  };
  let result: unknown;
  try {
    result = await definition.handle(context as RouteContext<never, never, never>);
  } catch (error) {
    // What was given up for that is no error, and nobody hears of it.
    if (gone.signal.aborted && error === gone.signal.reason) return;
    throw error;
  }
  if (response.headersSent || gone.signal.aborted) return;
  if (result === undefined) response.status(204).end();
  else response.status(definition.status ?? 200).json(result);
}

const UNKEPT = /\0|\p{Surrogate}/u;
/** Names of what every object has; as keys of input they are a mistake, or worse. */
const RESERVED_KEYS = new Set(['__proto__', 'constructor', 'prototype']);

/** @throws ProblemError where a text holds what no column of the database can: U+0000, or half of a surrogate pair */
function assertTexts(value: unknown, place: string): void {
  if (typeof value === 'string') {
    if (!UNKEPT.test(value)) return;
    const message = `${place} holds U+0000 or half of a character, which no text may`;
    throw new ProblemError('bad-input', message, { errors: [{ place, message }] });
  }
  if (typeof value !== 'object' || value === null) return;
  for (const [key, part] of Object.entries(value)) {
    const inside = place === '' ? key : `${place}.${key}`;
    if (RESERVED_KEYS.has(key)) throw new ProblemError('bad-input', `property ${inside} should not exist`);
    assertTexts(part, inside);
  }
}

/** Checks input against its class. Keys that the class does not know are refused, so that a misspelt option cannot pass unnoticed. */
async function decode(type: Class<object> | undefined, value: unknown): Promise<object> {
  if (!type) return {};
  if (typeof value !== 'object' || value === null || Array.isArray(value))
    throw new ProblemError('bad-body', 'The body must be a JSON object.');
  assertTexts(value, '');
  const instance = plainToInstance(type, value);
  const errors = await validate(instance, { whitelist: true, forbidNonWhitelisted: true, forbidUnknownValues: true });
  if (errors.length > 0) {
    const listed = errors.flatMap((error) => listErrors(error, ''));
    throw new ProblemError('bad-input', listed.map(({ message }) => message).join('; '), { errors: listed });
  }
  return instance;
}

function listErrors(
  { property, constraints, children }: ValidationError,
  prefix: string,
): { place: string; message: string }[] {
  const place = prefix === '' ? property : `${prefix}.${property}`;
  const own = Object.values(constraints ?? {}).map((message) => ({ place, message }));
  return [...own, ...(children ?? []).flatMap((child) => listErrors(child, place))];
}
