import type { AnswerName, AnswerOf, Role } from '@jadefence/contract';
import type { Request, Response } from 'express';
import type { Actor } from './authenticate.js';
import type { Class } from './decode.js';

/** What a handler gets: every part of the request decoded and checked. */
export interface RouteContext<P, Q, B> {
  readonly params: P;
  readonly query: Q;
  readonly body: B;
  /** Undefined only for public routes. */
  readonly actor: Actor;
  /** The header If-Match, as it was sent. */
  readonly ifMatch: string | undefined;
  setHeader(name: string, value: string): void;
  /** Aborted when the caller has gone. */
  readonly signal: AbortSignal;
}

/** What a handler gets that reads a stream, writes one, or signs a user in. */
export interface StreamContext<P, Q, B> extends RouteContext<P, Q, B> {
  readonly request: Request;
  readonly response: Response;
}

/**
 * Threads that answer requests: `rules` reads, checks and changes rules, which takes a thread for as long as it takes;
 * `pages` shows what replays decided and what people did, many requests at once.
 */
export const REQUEST_THREADS = ['rules', 'pages'] as const;
export type RequestThread = (typeof REQUEST_THREADS)[number];

/** One row of the route table. */
export interface Route {
  readonly method: 'get' | 'post' | 'put' | 'patch' | 'delete';
  /** Below `/api/v1`. */
  readonly path: string;
  /** What it does, imperative, for the description of the API. */
  readonly summary: string;
  /** What it answers; nothing (204) if absent. */
  readonly answer?: AnswerName;
  /** Who may call it; `public` means without signing in. */
  readonly access: Role | 'public';
  readonly params?: Class<object>;
  readonly query?: Class<object>;
  readonly body?: Class<object>;
  /** The body may hold whole configurations or lists; unless specified it is small. */
  readonly hasLargeBody?: boolean;
  /** The handler reads the body itself, as a stream. */
  readonly takesUpload?: boolean;
  readonly status?: number;
  /** Where it is answered, body and all; unless specified on the event loop, where nothing may take long. */
  readonly thread?: RequestThread;
  /** Answers the JSON to send, or undefined where nothing is to be sent or the handler has sent it. */
  readonly handle: (context: StreamContext<never, never, never>) => Promise<unknown>;
}

type Definition = Omit<Route, 'params' | 'query' | 'body' | 'handle' | 'thread' | 'answer'>;

interface Parts<P, Q, B, N> {
  readonly params?: Class<P>;
  readonly query?: Class<Q>;
  readonly body?: Class<B>;
  readonly answer?: N;
}

/** Declares a route with the types of its parts and of its answer. */
export function route<
  P extends object = object,
  Q extends object = object,
  B extends object = object,
  N extends AnswerName | undefined = undefined,
>(
  definition: Definition &
    Parts<P, Q, B, N> & { readonly handle: (context: StreamContext<P, Q, B>) => Promise<AnswerOf<N>> },
): Route {
  return definition as unknown as Route;
}

/** Declares a route that a thread answers. */
export function threadRoute<
  P extends object = object,
  Q extends object = object,
  B extends object = object,
  N extends AnswerName | undefined = undefined,
>(
  thread: RequestThread,
  definition: Omit<Definition, 'takesUpload'> &
    Parts<P, Q, B, N> & { readonly handle: (context: RouteContext<P, Q, B>) => Promise<AnswerOf<N>> },
): Route {
  return { ...definition, thread } as unknown as Route;
}
