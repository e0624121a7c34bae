/** Inserts go in batches, since a statement has a bounded number of parameters. */
const BATCH_ROWS = 1000;

/** The rows in groups of at most 1,000. */
export function batches<T>(rows: readonly T[]): T[][] {
  return Array.from({ length: Math.ceil(rows.length / BATCH_ROWS) }, (_, index) =>
    rows.slice(index * BATCH_ROWS, (index + 1) * BATCH_ROWS),
  );
}
