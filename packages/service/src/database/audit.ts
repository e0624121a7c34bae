import { createHash } from 'node:crypto';
import { AuditModel } from './models.js';
import type { Transaction } from './database.js';

/** One lock for all writers, so that the chain of hashes has no forks. */
const AUDIT_LOCK = 7_340_001;

export interface Change {
  /** Who did it; null for the service itself. */
  readonly userId: number | null;
  /** Noun and verb, such as `draft.import`. */
  readonly what: string;
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
  const at = new Date();
  const hash = createHash('sha256')
    .update(JSON.stringify([previousHash, at.toISOString(), userId, what, detail]))
    .digest('hex');
  await AuditModel.query(trx).insert({ at, userId, what, detail, previousHash, hash });
}
