import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { createTestDatabase } from '../../../../../e2e/src/test-database.js';
import { migrate, openDatabase, type Database } from '../../database/database.js';
import { SignInAttempts } from './sign-in-attempts.js';

let database: Awaited<ReturnType<typeof createTestDatabase>>;
let db: Database;
let nowMs = Date.parse('2026-10-12T10:00:00Z');
const processes = (): SignInAttempts[] => [0, 1].map(() => new SignInAttempts(db, () => nowMs));

beforeAll(async () => {
  database = await createTestDatabase();
  db = openDatabase(database.url, 8);
  await migrate(db);
});
afterAll(async () => {
  await db.destroy();
  await database.drop();
});

const admitted = async (attempts: readonly Promise<void>[]): Promise<number> =>
  (await Promise.allSettled(attempts)).filter(({ status }) => status === 'fulfilled').length;

describe('attempts to sign in', () => {
  it('are counted together by all processes, and those of one account from one address are at most ten a minute', async () => {
    const [one, other] = processes() as [SignInAttempts, SignInAttempts];
    const all = Array.from({ length: 40 }, (_, index) => (index % 2 ? one : other).count('kari', '198.51.100.7'));
    expect(await admitted(all)).toBe(10);
    // From elsewhere, and of another account, they are others.
    expect(await admitted([one.count('kari', '198.51.100.8'), one.count('ola', '198.51.100.7')])).toBe(2);
  });

  it('that are refused do not count, so that another user who guesses locks no one out for longer than a minute', async () => {
    const [one] = processes() as [SignInAttempts];
    for (let second = 0; second < 59; second += 1) {
      nowMs += 1000;
      await one.count('kari', '198.51.100.7').catch(() => undefined);
    }
    nowMs += 2000;
    expect(await admitted([one.count('kari', '198.51.100.7')])).toBe(1);
  });

  it('of one network of IPv6 are those of one address, and a right password clears those of its account', async () => {
    const [one] = processes() as [SignInAttempts];
    const from = (last: number): string => `2001:db8::${last}`;
    expect(await admitted(Array.from({ length: 12 }, (_, last) => one.count('per', from(last))))).toBe(10);
    await one.clear('per', from(99));
    expect(await admitted([one.count('per', from(3))])).toBe(1);
  });

  it('are removed once they have gone quiet', async () => {
    const [one] = processes() as [SignInAttempts];
    nowMs += 3_600_000;
    await one.removeQuiet();
    expect(await db('sign_in_attempts').select()).toEqual([]);
  });
});
