import { frozenRequests } from './pinned-workload.js';
import type { BenchRequest } from './requests.js';

const PIECE_CHARACTERS = 1_000_000;

/** The first requests, of the frozen log unless others are given, as bytes, without the strings they were made of, which would keep the garbage collector busy. */
export function bytesOf(
  count: number,
  format: (request: BenchRequest) => string,
  requests: Iterable<BenchRequest> = frozenRequests(),
): Buffer {
  const pieces: Buffer[] = [];
  let text = '';
  let numRequests = 0;
  for (const request of requests) {
    if (++numRequests > count) break;
    text += format(request);
    if (text.length < PIECE_CHARACTERS) continue;
    pieces.push(Buffer.from(text));
    text = '';
  }
  return Buffer.concat([...pieces, Buffer.from(text)]);
}
