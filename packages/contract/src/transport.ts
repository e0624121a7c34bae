import { createParser } from 'eventsource-parser';
import { ServiceError, type Problem } from './problems.js';

export interface ClientOptions {
  /** Where the service listens, without a path; empty for the site the page came from. */
  readonly baseUrl: string;
  /** A bearer token; without one the session cookie of the browser speaks. */
  readonly token?: string;
  readonly fetch?: typeof fetch;
}

/** A stream or bytes to upload. */
export type UploadBody = Blob | Uint8Array<ArrayBuffer> | ReadableStream<Uint8Array>;

/** Requests to the service, and what comes back. Every method throws `ServiceError`. */
export class Transport {
  constructor(private readonly options: ClientOptions) {}

  /** Receives server-sent events until they end. @returns the last */
  protected async follow<T>(path: string, receive: (event: T) => void, signal?: AbortSignal): Promise<T> {
    const response = await this.send('GET', path, { headers: { accept: 'text/event-stream' }, signal });
    let last: T | undefined;
    const parser = createParser({
      onEvent: ({ data }) => {
        last = JSON.parse(data) as T;
        receive(last);
      },
    });
    const decoder = new TextDecoder();
    for await (const piece of response.body!) parser.feed(decoder.decode(piece, { stream: true }));
    if (last === undefined) throw new ServiceError('The service ended its events without sending any.');
    return last;
  }

  /** @param version the version of the draft that a write has seen */
  protected json<T>(method: string, path: string, body?: unknown, version?: number, signal?: AbortSignal): Promise<T> {
    const headers = {
      ...(body === undefined ? {} : { 'content-type': 'application/json' }),
      ...(version === undefined ? {} : { 'if-match': `"${version}"` }),
    };
    const init = {
      headers,
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
      ...(signal ? { signal } : {}),
    };
    return this.receive<T>(this.send(method, path, init));
  }

  protected upload<T>(
    method: string,
    path: string,
    query: Record<string, string | boolean | undefined>,
    body: UploadBody,
  ): Promise<T> {
    const init = { body, headers: { 'content-type': 'application/octet-stream' }, duplex: 'half' };
    return this.receive<T>(this.send(method, `${path}${queryText(query)}`, init as RequestInit));
  }

  protected async send(method: string, path: string, init: RequestInit): Promise<Response> {
    const { baseUrl, token } = this.options;
    const headers = {
      ...(init.headers as Record<string, string>),
      ...(token ? { authorization: `Bearer ${token}` } : {}),
    };
    let response: Response;
    try {
      response = await (this.options.fetch ?? fetch)(`${baseUrl}/api/v1${path}`, {
        ...init,
        method,
        headers,
        credentials: 'same-origin',
      });
    } catch (error) {
      throw new ServiceError(`The service at ${baseUrl || 'this address'} cannot be reached (${reasonOf(error)}).`);
    }
    if (!response.ok) throw await failureOf(response, baseUrl);
    return response;
  }

  protected async receive<T>(sent: Promise<Response>): Promise<T> {
    const response = await sent;
    if (response.status !== 204 && !response.headers.get('content-type')?.startsWith('application/json'))
      throw strangeAnswer(response, this.options.baseUrl);
    return (response.status === 204 ? undefined : await response.json()) as T;
  }
}

function reasonOf(error: unknown): string {
  const cause = (error as { cause?: { code?: string; message?: string } }).cause;
  return cause?.code ?? cause?.message ?? (error as Error).message;
}

async function failureOf(response: Response, baseUrl: string): Promise<ServiceError> {
  if (!response.headers.get('content-type')?.startsWith('application/problem+json'))
    return strangeAnswer(response, baseUrl);
  const problem = (await response.json()) as Problem;
  return new ServiceError(problem.detail, problem);
}

function strangeAnswer({ status }: Response, baseUrl: string): ServiceError {
  return new ServiceError(
    `${baseUrl || 'The server'} answered ${status}, but not as the service does. Is the address right?`,
  );
}

/** The query of a path; what is undefined is left out. */
export function queryText(query: Record<string, string | number | boolean | undefined>): string {
  const pairs = Object.entries(query).flatMap(([key, value]) => (value === undefined ? [] : [[key, String(value)]]));
  return pairs.length === 0 ? '' : `?${new URLSearchParams(pairs)}`;
}
