/**
 * The audit trail: a chain of entries, each with a keyed hash (HMAC-SHA-256, RFC 2104) over itself and the hash before it.
 * The key is in a file, so that write access to the table is not enough to rebuild the chain. Its head is kept apart under the
 * same key, and the last entry that was seen in a file next to the key, so that entries taken from the end are missed.
 */
import { createHash, createHmac, randomBytes, randomUUID } from 'node:crypto';
import { mkdir, readFile, rename, writeFile } from 'node:fs/promises';
import { dirname } from 'node:path';
import { invariant } from '@jadefence/core/request';
import type { Database, Transaction } from './database.js';
import { AuditModel, SettingModel } from './models.js';

/** One lock for all writers, so that the chain of hashes has no forks. */
const AUDIT_LOCK = 7_340_001;

/** Entries up to this one were hashed over a text that the database does not keep; only their links can be checked. */
const UNCHECKED_UP_TO = 'audit-unchecked-up-to';
/** Entries before this one have hashes without a key. */
const KEYED_FROM = 'audit-keyed-from';
const HEAD = 'audit-head';
/** A hash by which the right key is known. */
const KEY_CHECK = 'audit-key-check';
/** A random name of the trail, since one folder may hold the keys of several databases. */
const TRAIL = 'audit-trail';
const KEY_BYTES = 32;
const BATCH_ROWS = 250;

export interface AuditChange {
  /** Who did it; null for the service itself. */
  readonly userId: number | null;
  /** Noun and verb, such as `draft.import`. */
  readonly what: string;
  /** What was before and what is after, as far as it is text. */
  readonly detail: Readonly<Record<string, unknown>>;
}

let auditKey: Buffer | undefined;

function requireKey(): Buffer {
  invariant(auditKey, 'the key of the audit trail was not loaded');
  return auditKey;
}

/** Uses a key from here on in this thread. */
export function useAuditKey(key: Uint8Array): void {
  auditKey = Buffer.from(key);
}

/** The key of the audit trail cannot be used; the message gives the reason and the fix. */
export class AuditKeyError extends Error {}

/**
 * Reads the key from its file, which is made with a new one where neither it nor a trail with a key is there.
 * @returns the key
 * @throws AuditKeyError where the file holds none, or not that of this database
 */
export async function loadAuditKey(db: Database, path: string): Promise<Uint8Array> {
  const known = (await SettingModel.query(db).findById(KEY_CHECK))?.value;
  const hint = 'Set JADEFENCE_AUDIT_KEY_FILE to the file with the key of this database.';
  if (known === undefined) await makeKey(path);
  const text = await readFile(path, 'utf8').catch(() => {
    throw new AuditKeyError(`The key of the audit trail is not at ${path}. ${hint}`);
  });
  const key = Buffer.from(text.trim(), 'hex');
  if (key.length !== KEY_BYTES)
    throw new AuditKeyError(`${path} does not hold a key of ${KEY_BYTES} bytes in hexadecimal. ${hint}`);
  const value = createHmac('sha256', key).update('key').digest('hex');
  await SettingModel.query(db).insert({ key: KEY_CHECK, value }).onConflict('key').ignore();
  await SettingModel.query(db).insert({ key: TRAIL, value: randomUUID() }).onConflict('key').ignore();
  const stored = (await SettingModel.query(db).findById(KEY_CHECK).throwIfNotFound()).value;
  if (stored !== value) throw new AuditKeyError(`The key at ${path} is not that of this database. ${hint}`);
  useAuditKey(key);
  return key;
}

async function makeKey(path: string): Promise<void> {
  await mkdir(dirname(path), { recursive: true });
  // Of several processes that start at once, one makes it.
  await writeFile(path, `${randomBytes(KEY_BYTES).toString('hex')}\n`, { mode: 0o600, flag: 'wx' }).catch(
    (error: NodeJS.ErrnoException) => {
      if (error.code !== 'EEXIST') throw error;
    },
  );
}

/** Writes a change to the audit trail, in the transaction that makes it. */
export async function recordChange(trx: Transaction, { userId, what, detail }: AuditChange): Promise<void> {
  await trx.raw('select pg_advisory_xact_lock(?)', [AUDIT_LOCK]);
  const last = await AuditModel.query(trx).orderBy('id', 'desc').first();
  const previousHash = last?.hash ?? '';
  const entry = { at: new Date(), userId, what, detail: withoutNul(detail) as Record<string, unknown>, previousHash };
  const hash = keyedHash(entry);
  const { id } = await AuditModel.query(trx)
    .insert({ ...entry, hash })
    .returning('id');
  await SettingModel.query(trx)
    .insert({ key: HEAD, value: JSON.stringify(sealed({ id, hash, ...(await limitsOf(trx)) })) })
    .onConflict('key')
    .merge();
}

/** The last entry, and the settings of those that can be checked only in part. */
interface Head {
  readonly id: number;
  readonly hash: string;
  readonly keyedFrom: number;
  readonly uncheckedUpTo: number;
  readonly trail: string;
}

function sealed(head: Head): Head & { readonly mac: string } {
  const { id, hash, keyedFrom, uncheckedUpTo, trail } = head;
  const text = JSON.stringify(['head', id, hash, keyedFrom, uncheckedUpTo, trail]);
  return { ...head, mac: createHmac('sha256', requireKey()).update(text).digest('hex') };
}

type Limits = Pick<Head, 'keyedFrom' | 'uncheckedUpTo' | 'trail'>;

async function limitsOf(db: Database): Promise<Limits> {
  const valueOf = async (key: string): Promise<number> =>
    Number((await SettingModel.query(db).findById(key))?.value ?? 0);
  return {
    keyedFrom: await valueOf(KEYED_FROM),
    uncheckedUpTo: await valueOf(UNCHECKED_UP_TO),
    trail: (await SettingModel.query(db).findById(TRAIL))?.value ?? '',
  };
}

type HashedEntry = Pick<AuditModel, 'at' | 'userId' | 'what' | 'detail' | 'previousHash'>;

function textOf({ at, userId, what, detail, previousHash }: HashedEntry): string {
  return JSON.stringify([previousHash, at.toISOString(), userId, what, sortKeys(detail)]);
}

function keyedHash(entry: HashedEntry): string {
  return createHmac('sha256', requireKey()).update(textOf(entry)).digest('hex');
}

function plainHash(entry: HashedEntry): string {
  return createHash('sha256').update(textOf(entry)).digest('hex');
}

/** The database reorders keys, so the hash is over sorted ones. */
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

/** What a check of the trail found. */
export interface TrailCheck {
  readonly isIntact: boolean;
  readonly numEntries: number;
  /** The first entry that does not fit, and in which way. */
  readonly problem?: string;
}

interface Position {
  readonly id: number;
  readonly hash: string;
  readonly numEntries: number;
}

const START: Position = { id: 0, hash: '', numEntries: 0 };

/** Checks the trail: whole, or from where the last check ended. */
export class AuditTrail {
  /** Where the next check begins: a batch before the end of what was checked, so that its last entries are read again. */
  #checkedUpTo: Position = START;
  #checks: Promise<unknown> = Promise.resolve();

  /** @param seenFile the beginning of the name of the file with the last entry that was seen */
  constructor(
    private readonly db: Database,
    private readonly seenFile: string,
  ) {}

  /** Checks every entry. */
  async verify(): Promise<TrailCheck> {
    this.#checkedUpTo = START;
    return this.verifyNew();
  }

  /** Checks the entries since the last check, and the end of the trail; one check after the other. */
  async verifyNew(): Promise<TrailCheck> {
    const check = this.#checks.then(() => this.#verifyNew());
    this.#checks = check.catch(() => undefined);
    return check;
  }

  async #verifyNew(): Promise<TrailCheck> {
    // The head belongs to the entries, so both are read as of one moment.
    return this.db.transaction(
      async (trx) => {
        const stored = (await SettingModel.query(trx).findById(HEAD))?.value;
        const limits = await limitsOf(trx);
        const { problem, last, next } = await this.#walk(trx, limits);
        const text = problem ?? (await this.#checkEnd(stored, limits, last));
        if (text !== undefined) return { isIntact: false, numEntries: last.numEntries, problem: text };
        this.#checkedUpTo = next;
        await this.#noteSeen(limits.trail, last.id);
        return { isIntact: true, numEntries: last.numEntries };
      },
      { isolationLevel: 'repeatable read' },
    );
  }

  async #walk(
    trx: Transaction,
    { keyedFrom, uncheckedUpTo }: Limits,
  ): Promise<{ problem?: string; last: Position; next: Position }> {
    let last = this.#checkedUpTo;
    let next = last;
    for (;;) {
      next = last;
      const entries = await AuditModel.query(trx).where('id', '>', last.id).orderBy('id').limit(BATCH_ROWS);
      for (const entry of entries) {
        const { id, at, what, hash, previousHash } = entry;
        const name = `Entry ${id} (${what}, ${at.toISOString()})`;
        if (previousHash !== last.hash)
          return { problem: `${name} does not follow the entry before it: one was removed or changed.`, last, next };
        const expected = id >= keyedFrom ? keyedHash(entry) : id <= uncheckedUpTo ? hash : plainHash(entry);
        if (expected !== hash) return { problem: `${name} was changed.`, last, next };
        last = { id, hash, numEntries: last.numEntries + 1 };
      }
      if (entries.length < BATCH_ROWS) return { last, next };
    }
  }

  /** @returns what is wrong with the end of the trail */
  async #checkEnd(
    stored: string | undefined,
    limits: Limits,
    last: { id: number; hash: string },
  ): Promise<string | undefined> {
    const seenId = await this.#seenId(limits.trail);
    if (seenId > last.id) return `Entries after ${last.id} were removed: entry ${seenId} was there.`;
    // Before the first entry with a key there is no head.
    if (stored === undefined) return last.id >= limits.keyedFrom ? 'The head of the trail was removed.' : undefined;
    const { mac, ...head } = JSON.parse(stored) as Head & { mac: string };
    if (sealed(head).mac !== mac) return 'The head of the trail was changed, or the key is another.';
    if (
      head.keyedFrom !== limits.keyedFrom ||
      head.uncheckedUpTo !== limits.uncheckedUpTo ||
      head.trail !== limits.trail
    )
      return 'The settings of the trail were changed.';
    if (head.id !== last.id || head.hash !== last.hash)
      return `Entries after ${last.id} were removed: the last was ${head.id}.`;
    return undefined;
  }

  async #seenId(trail: string): Promise<number> {
    return Number(await readFile(`${this.seenFile}-${trail}`, 'utf8').catch(() => '0'));
  }

  async #noteSeen(trail: string, id: number): Promise<void> {
    const path = `${this.seenFile}-${trail}`;
    const temporary = `${path}.${process.pid}`;
    await writeFile(temporary, `${id}\n`, { mode: 0o600 });
    await rename(temporary, path);
  }
}
