import { createHash } from 'node:crypto';
import type { Database, Transaction } from './database.js';
import { AuditModel, SettingModel } from './models.js';

/** One lock for all writers, so that the chain of hashes has no forks. */
const AUDIT_LOCK = 7_340_001;

/** Entries up to this one were hashed over a text that the database does not keep; only their links can be checked. */
const UNCHECKED_UP_TO = 'audit-unchecked-up-to';

export interface Change {
  /** Who did it; null for the service itself. */
  readonly userId: number | null;
  /** Noun and verb, such as `draft.import`. */
  readonly what: string;
  /** What was before and what is after, as far as it is text. */
  readonly detail: Readonly<Record<string, unknown>>;
}

/**
 * Writes a change to the audit trail, in the transaction that makes it. Every entry carries a hash over itself and the
 * hash before it, so that a changed or missing entry shows.
 */
export async function recordChange(trx: Transaction, { userId, what, detail }: Change): Promise<void> {
  await trx.raw('select pg_advisory_xact_lock(?)', [AUDIT_LOCK]);
  const last = await AuditModel.query(trx).orderBy('id', 'desc').first();
  const previousHash = last?.hash ?? '';
  const entry = { at: new Date(), userId, what, detail: withoutNul(detail) as Record<string, unknown>, previousHash };
  await AuditModel.query(trx).insert({ ...entry, hash: hashEntry(entry) });
}

type HashedEntry = Pick<AuditModel, 'at' | 'userId' | 'what' | 'detail' | 'previousHash'>;

function hashEntry({ at, userId, what, detail, previousHash }: HashedEntry): string {
  const text = JSON.stringify([previousHash, at.toISOString(), userId, what, sortKeys(detail)]);
  return createHash('sha256').update(text).digest('hex');
}

/** The database keeps keys in an order of its own, so the hash is over sorted ones. */
function sortKeys(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(sortKeys);
  if (typeof value !== 'object' || value === null) return value;
  const entries = Object.entries(value).filter(([, one]) => one !== undefined);
  return Object.fromEntries(entries.sort(([a], [b]) => (a < b ? -1 : 1)).map(([key, one]) => [key, sortKeys(one)]));
}

/** A NUL cannot be kept in the database's JSON. */
function withoutNul(value: unknown): unknown {
  return JSON.parse(JSON.stringify(value).replaceAll('\\u0000', '\\ufffd'));
}

const BATCH_ROWS = 1000;

/** Whether every entry fits its own hash and the one before it. */
export async function isTrailIntact(db: Database): Promise<boolean> {
  const uncheckedUpTo = Number((await SettingModel.query(db).findById(UNCHECKED_UP_TO))?.value ?? 0);
  let previousHash = '';
  for (let lastId = 0; ;) {
    const entries = await AuditModel.query(db).where('id', '>', lastId).orderBy('id').limit(BATCH_ROWS);
    for (const entry of entries) {
      const isRight = entry.id <= uncheckedUpTo || hashEntry(entry) === entry.hash;
      if (entry.previousHash !== previousHash || !isRight) return false;
      previousHash = entry.hash;
      lastId = entry.id;
    }
    if (entries.length < BATCH_ROWS) return true;
  }
}
