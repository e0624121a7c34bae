/** JSON bodies: read up to a limit, and checked in their bytes before anything is made of them. */
import express, { type RequestHandler } from 'express';
import { ProblemError } from './problem.js';
import type { Route } from './route.js';

const MAX_DEPTH = 32;
const [QUOTE, BACKSLASH, COMMA, OPEN, CLOSE, OPEN_ARRAY, CLOSE_ARRAY] = [0x22, 0x5c, 0x2c, 0x7b, 0x7d, 0x5b, 0x5d];

const KIB = 1024;

interface BodyLimits {
  /** Of the body, decompressed. */
  readonly maxBytes: number;
  /** Numbers, texts and so on, since each costs many times its bytes. */
  readonly maxValues: number;
}

/** The caller is not known yet, so the body must cost next to nothing. */
const PUBLIC: BodyLimits = { maxBytes: 16 * KIB, maxValues: 100 };
const SMALL: BodyLimits = { maxBytes: 256 * KIB, maxValues: 5_000 };
const LARGE: BodyLimits = { maxBytes: 64 * KIB * KIB, maxValues: 1_000_000 };

function limitsOf({ access, hasLargeBody }: Route): BodyLimits {
  return access === 'public' ? PUBLIC : hasLargeBody ? LARGE : SMALL;
}

/** Reads the bytes of a JSON body, decompressed, as the route's `body`; the handler's thread parses them. */
export function readBodyOf(definition: Route): RequestHandler {
  if (!definition.body) return (_request, _response, next) => next();
  return express.raw({ limit: limitsOf(definition).maxBytes, type: 'application/json' });
}

const decoder = new TextDecoder();

/**
 * @param bytes undefined where there is no body
 * @throws ProblemError where they are not JSON, or hold more than the route takes
 */
export function parseBody(definition: Route, bytes: Uint8Array | undefined): unknown {
  if (!bytes) return undefined;
  assertBounded(bytes, limitsOf(definition).maxValues);
  try {
    return JSON.parse(decoder.decode(bytes));
  } catch (error) {
    throw new ProblemError('bad-body', `The body is not JSON: ${(error as Error).message}.`);
  }
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
