/** The parts of a request, checked against the classes that describe them. */
import { plainToInstance } from 'class-transformer';
import { validate, type ValidationError } from 'class-validator';
import { ProblemError } from './problem.js';

export type Class<T> = new () => T;

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
export async function decode(type: Class<object> | undefined, value: unknown): Promise<object> {
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
  const violations = Object.values(constraints ?? {}).map((message) => ({ place, message }));
  return [...violations, ...(children ?? []).flatMap((child) => listErrors(child, place))];
}
