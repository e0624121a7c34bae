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
import * as safety from './migrations/0008-safety.js';
import * as names from './migrations/0009-names.js';
import * as draftSteps from './migrations/0010-draft-steps.js';
import * as replayNames from './migrations/0011-replay-names.js';
import * as masking from './migrations/0012-masking.js';
import * as throttles from './migrations/0013-throttles.js';

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
  '0008-safety': safety,
  '0009-names': names,
  '0010-draft-steps': draftSteps,
  '0011-replay-names': replayNames,
  '0012-masking': masking,
  '0013-throttles': throttles,
};

export function openDatabase(url: string, maxConnections: number): Database {
  return knexModule({
    client: 'pg',
    connection: { connectionString: url, connectionTimeoutMillis: 5000 },
    pool: { min: 0, max: maxConnections },
    ...knexSnakeCaseMappers(),
  });
}

/** The schema is that of a later release. */
export class NewerSchemaError extends Error {}

/** One process migrates at a time; the others wait. */
const MIGRATION_LOCK = 7_340_002;

/**
 * Brings the schema up to date. Safe to call from several processes at once.
 * @throws NewerSchemaError where a later release has migrated the database
 */
export async function migrate(db: Database): Promise<void> {
  // A lock of the session: the migrations open their own transactions.
  await db.transaction(async (trx) => {
    await trx.raw('select pg_advisory_xact_lock(?)', [MIGRATION_LOCK]);
    const unknown = (await doneMigrations(db)).find((name) => !Object.hasOwn(MIGRATIONS, name));
    if (unknown !== undefined)
      throw new NewerSchemaError(`The database has the schema of a later release (${unknown}). Start that release.`);
    await db.migrate.latest({
      migrationSource: {
        getMigrations: async () => Object.keys(MIGRATIONS),
        getMigrationName: (name: string) => name,
        getMigration: async (name: string) => MIGRATIONS[name]!,
      },
    });
  });
}

async function doneMigrations(db: Database): Promise<string[]> {
  const table = 'knex_migrations';
  if (!(await db.schema.hasTable(table))) return [];
  const rows = (await db(table).select('name')) as { name: string }[];
  return rows.map(({ name }) => name);
}

/** Runs `work` in one transaction, which is rolled back when it throws. */
export function inTransaction<T>(db: Database, work: (trx: Transaction) => Promise<T>): Promise<T> {
  return db.transaction(work);
}

/** Codes of Node and of PostgreSQL (appendix A) for a server that is gone, stopping or starting. */
const UNREACHABLE_CODES = new Set(
  'ECONNREFUSED ECONNRESET EPIPE ENOTFOUND EAI_AGAIN ETIMEDOUT 57P01 57P02 57P03 57P05 08000 08001 08003 08004 08006 53300'.split(
    ' ',
  ),
);
const UNREACHABLE_TEXT =
  /Connection terminated|Connection ended|timeout exceeded when trying to connect|^timeout expired$|Client has encountered a connection error|Client was closed|not queryable/;

/** Whether an error, or what caused it, is that the database cannot be reached, rather than that a query is wrong. */
export function isUnreachable(error: unknown): boolean {
  if (typeof error !== 'object' || error === null) return false;
  const { code, message, name, cause, nativeError, errors } = error as {
    code?: string;
    message?: string;
    name?: string;
    cause?: unknown;
    nativeError?: unknown;
    errors?: readonly unknown[];
  };
  return (
    UNREACHABLE_CODES.has(code ?? '') ||
    name === 'KnexTimeoutError' ||
    UNREACHABLE_TEXT.test(message ?? '') ||
    isUnreachable(cause) ||
    isUnreachable(nativeError) ||
    (errors?.some(isUnreachable) ?? false)
  );
}

/** Codes for a disk that is full, of Node and PostgreSQL. */
const FULL_CODES = new Set(['ENOSPC', 'EDQUOT', '53100']);

/** Whether an error, or what caused it, is that a disk is full. */
export function isDiskFull(error: unknown): boolean {
  if (typeof error !== 'object' || error === null) return false;
  const { code, cause, nativeError } = error as { code?: string; cause?: unknown; nativeError?: unknown };
  return FULL_CODES.has(code ?? '') || isDiskFull(cause) || isDiskFull(nativeError);
}

/** Codes of PostgreSQL for two that write the same at once: one of them has to try again. */
const COLLISION_CODES = new Set(['23505', '40001', '40P01']);

/** Whether another user wrote the same at the same moment. */
export function isCollision(error: unknown): boolean {
  if (typeof error !== 'object' || error === null) return false;
  const { code, cause, nativeError } = error as { code?: string; cause?: unknown; nativeError?: unknown };
  return COLLISION_CODES.has(code ?? '') || isCollision(cause) || isCollision(nativeError);
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
