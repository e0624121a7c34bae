/** Delays of rows: by row of a chunk, how long its bytes would have waited. */
import type { Ruling } from '../decide/decision.js';
import type { JudgedRows } from './replay-chunk.js';

/** By row, one a rule that delays it, in milliseconds. */
export type Delays = Map<number, readonly number[]>;

/** Calls with each row that is delayed, and how long by each of the rules that delay it. */
export function forEachDelayed(
  { codes, waitsMs }: Pick<JudgedRows, 'codes'> & { readonly waitsMs: ArrayLike<number> },
  rulings: readonly Ruling[],
  receive: (index: number, waitsMs: readonly number[]) => void,
): void {
  if (waitsMs.length === 0) return;
  const numbers = rulings.map(({ throttled }) => throttled?.length ?? 0);
  let at = 0;
  codes.forEach((code, index) => {
    const number = numbers[code] ?? 0;
    if (number === 0) return;
    receive(
      index,
      Array.from({ length: number }, (_, rule) => waitsMs[at + rule]!),
    );
    at += number;
  });
}

/** What `flattenDelays` made of them. */
export function openDelays(codes: Uint32Array, waitsMs: ArrayLike<number>, rulings: readonly Ruling[]): Delays {
  const delays: Delays = new Map();
  forEachDelayed({ codes, waitsMs }, rulings, (row, waits) => delays.set(row, waits));
  return delays;
}

/** All waits of a chunk in the order of its rows, which its codes and rulings assign to them. */
export function flattenDelays(delays: Delays): Float64Array {
  const rows = [...delays].sort(([a], [b]) => a - b);
  return Float64Array.from(rows.flatMap(([, waitsMs]) => waitsMs));
}
