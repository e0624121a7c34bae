import knexModule, { type Knex } from 'knex';
import { knexSnakeCaseMappers } from 'objection';
import pg from 'pg';
import * as foundation from './migrations/0001-foundation.js';
import * as logSurvey from './migrations/0002-log-survey.js';
import * as revisions from './migrations/0003-revisions.js';
import * as referenceData from './migrations/0004-reference-data.js';
import * as logSegments from './migrations/0005-log-segments.js';
import * as logLayouts from './migrations/0006-log-layouts.js';
import * as comparisons from './migrations/0007-comparisons.js';

/** A connection pool or a transaction on it; every query of a model takes one. */
export type Database = Knex;
export type Transaction = Knex.Transaction;

const INT8 = 20;
// Counts and ids stay far below 2^53, so numbers are exact.
pg.types.setTypeParser(INT8, Number);

/** The same names whether migrations run from source or built. */
const MIGRATIONS: Record<string, Knex.Migration> = {
  '0001-foundation': foundation,
  '0002-log-survey': logSurvey,
  '0003-revisions': revisions,
  '0004-reference-data': referenceData,
  '0005-log-segments': logSegments,
  '0006-log-layouts': logLayouts,
  '0007-comparisons': comparisons,
};

export function openDatabase(url: string, maxConnections: number): Database {
  return knexModule({
    client: 'pg',
    connection: { connectionString: url, connectionTimeoutMillis: 5000 },
    pool: { min: 0, max: maxConnections },
    ...knexSnakeCaseMappers(),
  });
}

/** Brings the schema up to date. Safe to call from several processes at once. */
export async function migrate(db: Database): Promise<void> {
  await db.migrate.latest({
    migrationSource: {
      getMigrations: async () => Object.keys(MIGRATIONS),
      getMigrationName: (name: string) => name,
      getMigration: async (name: string) => MIGRATIONS[name]!,
    },
  });
}

/** Runs `work` in one transaction, which is rolled back when it throws. */
export function inTransaction<T>(db: Database, work: (trx: Transaction) => Promise<T>): Promise<T> {
  return db.transaction(work);
}

/** Whether an error says that the database cannot be reached, rather than that a query is wrong. */
export function isUnreachable(error: unknown): boolean {
  const { code, message, name } = error as { code?: string; message?: string; name?: string };
  const codes = ['ECONNREFUSED', 'ECONNRESET', 'ENOTFOUND', 'ETIMEDOUT', '57P01', '57P02', '57P03', '08006', '08001'];
  return (
    codes.includes(code ?? '') ||
    name === 'KnexTimeoutError' ||
    /Connection terminated|timeout exceeded when trying to connect/.test(message ?? '')
  );
}

/** The name of the unique index that a write ran into, or undefined. */
export function violatedConstraint(error: unknown): string | undefined {
  const { code, constraint, nativeError } = error as {
    code?: string;
    constraint?: string;
    nativeError?: { code?: string; constraint?: string };
  };
  return (code ?? nativeError?.code) === '23505' ? (constraint ?? nativeError?.constraint) : undefined;
}
