/**
 * What a request's field can be: one or more values, *none* (known to have none) or *unknown* (the log does not hold it).
 * The spelling follows NDJSON records, where `null` is none and a missing key is unknown, so that a record read from
 * JSON, a column's code and a field of a request all mean the same by the same value.
 */
export type Field<T> = T | None | Unknown;
export type None = null;
export type Unknown = undefined;

/** The three truth values of Kleene's strong logic. */
export type Truth = 'true' | 'false' | 'unknown';

/** The opposite of a truth value; unknown stays unknown. */
export function negate(truth: Truth): Truth {
  if (truth === 'unknown') return 'unknown';
  return truth === 'true' ? 'false' : 'true';
}

export function and(a: Truth, b: Truth): Truth {
  if (a === 'false' || b === 'false') return 'false';
  return a === 'unknown' || b === 'unknown' ? 'unknown' : 'true';
}

export function or(a: Truth, b: Truth): Truth {
  if (a === 'true' || b === 'true') return 'true';
  return a === 'unknown' || b === 'unknown' ? 'unknown' : 'false';
}
