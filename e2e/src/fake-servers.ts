/** Small servers on loopback that replace those of the internet: one that serves files, one that resolves names. */
import { createSocket } from 'node:dgram';
import { once } from 'node:events';
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';

/** What a path is answered with. */
export type Answer = (request: IncomingMessage, response: ServerResponse) => void;

export interface FileServer {
  readonly url: string;
  /** Requests so far, as `GET /path`, with ` if-none-match` where they were conditional. */
  readonly seen: string[];
  answer(path: string, answer: Answer): void;
  /** Answers a file with its entity tag, or that it has not changed. */
  serve(path: string, text: string, contentType?: string): void;
  /** Clears its answers and what was requested so far. */
  reset(): void;
  close(): Promise<void>;
}

export async function startFileServer(): Promise<FileServer> {
  const answers = new Map<string, Answer>();
  const seen: string[] = [];
  const server = createServer((request, response) => {
    const isConditional = request.headers['if-none-match'] !== undefined;
    seen.push(`${request.method} ${request.url}${isConditional ? ' if-none-match' : ''}`);
    const answer = answers.get(request.url!);
    if (answer) answer(request, response);
    else response.writeHead(404).end();
  });
  server.listen(0, '127.0.0.1');
  await once(server, 'listening');
  return {
    url: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    seen,
    answer: (path, answer) => void answers.set(path, answer),
    serve(path, text, contentType = 'text/csv') {
      const etag = `"${text.length}-${text.slice(0, 8).replace(/\W/g, '')}"`;
      answers.set(path, (request, response) => {
        if (request.headers['if-none-match'] === etag) return response.writeHead(304).end();
        return response.writeHead(200, { 'content-type': contentType, etag }).end(text);
      });
    },
    reset() {
      answers.clear();
      seen.length = 0;
    },
    async close() {
      server.closeAllConnections();
      server.close();
      await once(server, 'close');
    },
  };
}

const TYPE_A = 1;

/** Resolves these names to IPv4 addresses and no others (RFC 1035). @returns its address and port */
export async function startResolver(
  names: Readonly<Record<string, string>>,
): Promise<{ address: string; close(): Promise<void> }> {
  const socket = createSocket('udp4');
  socket.on('message', (query, from) => {
    const labels: string[] = [];
    let at = 12;
    for (; query[at]! > 0; at += query[at]! + 1) labels.push(query.toString('latin1', at + 1, at + 1 + query[at]!));
    const end = at + 5;
    const address = query.readUInt16BE(at + 1) === TYPE_A ? names[labels.join('.')] : undefined;
    const isKnown = names[labels.join('.')] !== undefined;
    const header = Buffer.from([
      query[0]!,
      query[1]!,
      0x81,
      isKnown ? 0x80 : 0x83,
      0,
      1,
      0,
      address ? 1 : 0,
      0,
      0,
      0,
      0,
    ]);
    const record = address
      ? Buffer.from([0xc0, 12, 0, TYPE_A, 0, 1, 0, 0, 0, 60, 0, 4, ...address.split('.').map(Number)])
      : Buffer.alloc(0);
    socket.send(Buffer.concat([header, query.subarray(12, end), record]), from.port, from.address);
  });
  socket.bind(0, '127.0.0.1');
  await once(socket, 'listening');
  return {
    address: `127.0.0.1:${socket.address().port}`,
    async close() {
      socket.close();
      await once(socket, 'close');
    },
  };
}
