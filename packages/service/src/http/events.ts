import type { Response } from 'express';

const KEEP_ALIVE_MS = 15_000;

/** Sends each value as a server-sent event until `values` ends or the client goes away. */
export async function sendEvents(response: Response, values: AsyncIterable<unknown>): Promise<void> {
  response.writeHead(200, {
    'content-type': 'text/event-stream',
    'cache-control': 'no-store',
    'x-accel-buffering': 'no',
  });
  const keepAlive = setInterval(() => response.write(': still here\n\n'), KEEP_ALIVE_MS);
  try {
    for await (const value of values) {
      if (response.closed) return;
      response.write(`data: ${JSON.stringify(value)}\n\n`);
    }
    response.end();
  } finally {
    clearInterval(keepAlive);
  }
}
