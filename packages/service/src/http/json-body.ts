/** JSON bodies: read up to a limit, and checked in their bytes before anything is made of them. */
import express, { type RequestHandler } from 'express';
import { ProblemError } from './problem.js';

const MAX_DEPTH = 32;
const [QUOTE, BACKSLASH, COMMA, OPEN, CLOSE, OPEN_ARRAY, CLOSE_ARRAY] = [0x22, 0x5c, 0x2c, 0x7b, 0x7d, 0x5b, 0x5d];

/**
 * @param maxBytes of the body, decompressed
 * @param maxValues numbers, texts and so on, since each costs many times its bytes
 */
export function readJsonBody(maxBytes: number, maxValues: number): RequestHandler {
  return express.json({
    limit: maxBytes,
    strict: true,
    verify: (_request, _response, bytes) => assertBounded(bytes, maxValues),
  });
}

/** @throws ProblemError where the text is nested too deeply or has too many values; one pass over its bytes */
export function assertBounded(bytes: Uint8Array, maxValues: number): void {
  let depth = 0;
  let numValues = 1;
  let isInText = false;
  for (let at = 0; at < bytes.length; at += 1) {
    const byte = bytes[at]!;
    if (isInText) {
      if (byte === BACKSLASH) at += 1;
      else if (byte === QUOTE) isInText = false;
      continue;
    }
    if (byte === QUOTE) isInText = true;
    else if (byte === COMMA) numValues += 1;
    else if (byte === OPEN || byte === OPEN_ARRAY) {
      depth += 1;
      numValues += 1;
      if (depth > MAX_DEPTH) throw new ProblemError('bad-body', `The body is nested deeper than ${MAX_DEPTH} levels.`);
    } else if (byte === CLOSE || byte === CLOSE_ARRAY) depth -= 1;
  }
  if (numValues > maxValues)
    throw new ProblemError('too-large', `The body has more than ${maxValues.toLocaleString('en')} values.`);
}
