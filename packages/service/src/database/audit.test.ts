import { createHash } from 'node:crypto';
import { mkdtempSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { createTestDatabase } from '../../../../e2e/src/test-database.js';
import { AuditKeyError, AuditTrail, loadAuditKey, recordChange } from './audit.js';
import { inTransaction, migrate, openDatabase, type Database } from './database.js';

let database: Awaited<ReturnType<typeof createTestDatabase>>;
let db: Database;
let trail: AuditTrail;
const folder = mkdtempSync(join(tmpdir(), 'jadefence-audit-'));

beforeAll(async () => {
  database = await createTestDatabase();
  db = openDatabase(database.url, 4);
  await migrate(db);
  await loadAuditKey(db, join(folder, 'key'));
});
afterAll(async () => {
  await db.destroy();
  await database.drop();
  rmSync(folder, { recursive: true });
});
beforeEach(async () => {
  for (const name of readdirSync(folder)) if (name.startsWith('seen')) rmSync(join(folder, name));
  await db('audit').delete();
  await db('settings').where({ key: 'audit-head' }).delete();
  await db('settings').where({ key: 'audit-unchecked-up-to' }).delete();
  trail = new AuditTrail(db, join(folder, 'seen'));
  for (let number = 1; number <= 6; number += 1)
    await inTransaction(db, (trx) => recordChange(trx, { userId: null, what: 'test', detail: { number } }));
});

const ids = async (): Promise<number[]> => {
  const rows = (await db('audit').select('id').orderBy('id')) as { id: number }[];
  return rows.map(({ id }) => id);
};

/** Rewrites the chain from an entry on without the key, as one could who may write the table. */
async function rebuild(from: number): Promise<void> {
  let previousHash = '';
  for (const entry of await db('audit').orderBy('id')) {
    const { id, at, userId, what } = entry as { id: number; at: Date; userId: number | null; what: string };
    if (id < from) previousHash = (entry as { hash: string }).hash;
    else {
      const detail = { number: 99 };
      const text = JSON.stringify([previousHash, at.toISOString(), userId, what, detail]);
      const hash = createHash('sha256').update(text).digest('hex');
      await db('audit').where({ id }).update({ detail, hash, previousHash });
      previousHash = hash;
    }
  }
}

describe('the audit trail', () => {
  it('is intact as it was written, whole and from where the last check ended', async () => {
    expect(await trail.verify()).toEqual({ isIntact: true, numEntries: 6 });
    await inTransaction(db, (trx) => recordChange(trx, { userId: null, what: 'test', detail: {} }));
    expect(await trail.verifyNew()).toEqual({ isIntact: true, numEntries: 7 });
  });

  it.each<[string, (all: readonly number[]) => Promise<unknown>, (all: readonly number[]) => RegExp]>([
    [
      'an entry is changed',
      (all) =>
        db('audit')
          .where({ id: all[2] })
          .update({ detail: { number: 7 } }),
      (all) => new RegExp(`^Entry ${all[2]} .* was changed`),
    ],
    [
      'an entry in the middle is removed',
      (all) => db('audit').where({ id: all[2] }).delete(),
      (all) => new RegExp(`^Entry ${all[3]} .* does not follow`),
    ],
    [
      'entries at the end are removed',
      (all) => db('audit').whereIn('id', all.slice(3)).delete(),
      (all) => new RegExp(`^Entries after ${all[2]} were removed`),
    ],
    ['all entries are removed', () => db('audit').delete(), () => /^Entries after 0 were removed/],
    ['the chain is rebuilt', (all) => rebuild(all[2]!), (all) => new RegExp(`^Entry ${all[2]} .* was changed`)],
    [
      'the chain is rebuilt and claims to be older than the key',
      async (all) => {
        await rebuild(all[2]!);
        await db('settings').insert({ key: 'audit-unchecked-up-to', value: '999999' });
        await db('settings').where({ key: 'audit-keyed-from' }).update({ value: '999999' });
      },
      () => /The settings of the trail were changed|was changed/,
    ],
    [
      'its head is removed',
      () => db('settings').where({ key: 'audit-head' }).delete(),
      () => /head of the trail was removed/,
    ],
  ])('is not intact where %s, and the first entry that does not fit is named', async (_, tamper, expected) => {
    const all = await ids();
    const settings = await db('settings').select();
    await tamper(all);
    const { isIntact, problem } = await trail.verify();
    await db('settings').delete();
    await db('settings').insert(settings);
    expect(isIntact).toBe(false);
    expect(problem).toMatch(expected(all));
  });

  it('misses entries that were taken from its end together with its head of then', async () => {
    const heads = await db('settings').where({ key: 'audit-head' }).first();
    await inTransaction(db, (trx) => recordChange(trx, { userId: null, what: 'test', detail: {} }));
    await trail.verify();
    const all = await ids();
    await db('audit')
      .where({ id: all.at(-1) })
      .delete();
    await db('settings')
      .where({ key: 'audit-head' })
      .update({ value: (heads as { value: string }).value });
    expect((await trail.verify()).problem).toBe(
      `Entries after ${all.at(-2)} were removed: entry ${all.at(-1)} was there.`,
    );
  });

  it('refuses the key of another database, and a key that is gone', async () => {
    await expect(loadAuditKey(db, join(folder, 'nothing'))).rejects.toThrow(AuditKeyError);
    const { writeFileSync } = await import('node:fs');
    writeFileSync(join(folder, 'other'), 'ab'.repeat(32));
    await expect(loadAuditKey(db, join(folder, 'other'))).rejects.toThrow(/is not that of this database/);
  });
});
