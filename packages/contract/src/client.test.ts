import { describe, expect, it } from 'vitest';
import { ServiceClient } from './client.js';
import { ServiceError } from './problems.js';
import type { ReplayProgress } from './replays.js';

interface Sent {
  readonly method: string;
  readonly url: string;
  readonly headers: Record<string, string>;
  readonly body?: unknown;
}

/** A client with a scripted service, and what was sent to it. */
function clientThatGets(answer: () => Response | Promise<Response>): { client: ServiceClient; sent: Sent[] } {
  const sent: Sent[] = [];
  const fake = async (url: string | URL | Request, init?: RequestInit): Promise<Response> => {
    sent.push({
      method: init?.method ?? '',
      url: String(url),
      headers: init?.headers as Record<string, string>,
      ...(init?.body ? { body: init.body } : {}),
    });
    return answer();
  };
  const client = new ServiceClient({ baseUrl: 'http://service.example', token: 'secret', fetch: fake as typeof fetch });
  return { client, sent };
}

const json = (value: unknown, status = 200): Response => Response.json(value, { status });
const problem = (status: number, code: string): Response =>
  new Response(JSON.stringify({ status, code, detail: `${code} happened`, hint: 'Do this.' }), {
    status,
    headers: { 'content-type': 'application/problem+json; charset=utf-8' },
  });

describe('a call', () => {
  it('goes to the API with the token, and its body as JSON', async () => {
    const { client, sent } = clientThatGets(() => json({ id: 3 }, 202));
    expect(await client.startReplay({ logId: 7, gate: 'shop' })).toEqual({ id: 3 });
    expect(sent).toEqual([
      {
        method: 'POST',
        url: 'http://service.example/api/v1/replays',
        headers: { 'content-type': 'application/json', 'authorization': 'Bearer secret' },
        body: '{"logId":7,"gate":"shop"}',
      },
    ]);
  });

  it('leaves out what is not given from the query, and escapes the rest', async () => {
    const { client, sent } = clientThatGets(() => json({ rows: [] }));
    await client.decisions(4, { offset: 0, limit: 2, where: 'path = "/a b"&x' });
    expect(sent[0]!.url).toBe(
      'http://service.example/api/v1/replays/4/decisions?offset=0&limit=2&where=path+%3D+%22%2Fa+b%22%26x',
    );
  });

  it('returns nothing if the service sends nothing', async () => {
    const { client } = clientThatGets(() => new Response(null, { status: 204 }));
    expect(await client.deleteLog(1, true)).toBeUndefined();
  });
});

describe('a failure', () => {
  const failureOf = (promise: Promise<unknown>): Promise<ServiceError> =>
    promise.then(
      () => expect.unreachable('the call succeeded'),
      (error: ServiceError) => error,
    );

  it('carries the problem of the service', async () => {
    const { client } = clientThatGets(() => problem(409, 'duplicate-log'));
    const error = await failureOf(client.logs());
    expect(error).toBeInstanceOf(ServiceError);
    expect([error.message, error.problem?.code, error.problem?.hint]).toEqual([
      'duplicate-log happened',
      'duplicate-log',
      'Do this.',
    ]);
  });

  it.each([502, 200])('of another server that answers %i hints at the address', async (status) => {
    const { client } = clientThatGets(
      () => new Response('<html>', { status, headers: { 'content-type': 'text/html' } }),
    );
    const error = await failureOf(client.health());
    expect([error.message, error.problem]).toEqual([
      `http://service.example answered ${status}, but not as the service does. Is the address right?`,
      undefined,
    ]);
  });

  it('never comes of a name that means something in an address', async () => {
    const { client, sent } = clientThatGets(() => Response.json({}));
    await client.list('a/../b?c');
    expect(sent[0]!.url).toContain('/lists/a%2F..%2Fb%3Fc');
  });

  it('to reach it names the cause', async () => {
    const { client } = clientThatGets(() => {
      throw Object.assign(new TypeError('fetch failed'), { cause: { code: 'ECONNREFUSED' } });
    });
    expect((await failureOf(client.health())).message).toBe(
      'The service at http://service.example cannot be reached (ECONNREFUSED).',
    );
  });
});

describe('following a replay', () => {
  const events = (...progress: Partial<ReplayProgress>[]): Response => {
    const text = progress.map((item) => `: still here\n\ndata: ${JSON.stringify(item)}\n\n`).join('');
    // In pieces that end in the middle of an event.
    const bytes = new TextEncoder().encode(text);
    const pieces = Array.from({ length: Math.ceil(bytes.length / 7) }, (_, index) =>
      bytes.slice(index * 7, index * 7 + 7),
    );
    return new Response(
      new ReadableStream({
        start(controller) {
          pieces.forEach((piece) => controller.enqueue(piece));
          controller.close();
        },
      }),
    );
  };

  it('receives each step and returns the last', async () => {
    const { client } = clientThatGets(() =>
      events({ state: 'running', requestsDone: 1 }, { state: 'done', requestsDone: 2 }),
    );
    const received: (number | undefined)[] = [];
    expect(await client.followReplay(1, ({ requestsDone }) => received.push(requestsDone))).toEqual({
      state: 'done',
      requestsDone: 2,
    });
    expect(received).toEqual([1, 2]);
  });

  it('without any event is a failure, not a success', async () => {
    const { client } = clientThatGets(() => events());
    await expect(client.followReplay(1, () => undefined)).rejects.toThrow('without sending any');
  });
});
