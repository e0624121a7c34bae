/**
 * Attempts to sign in, counted by our own limits over a table, so that processes share them and a restart keeps them. An
 * attempt counts before its password is looked at; one that is refused does not count, so that those who guess from the
 * same address lock no one out for longer than a minute.
 */
import { State } from '@jadefence/core/decide';
import { inTransaction, type Database } from '../../database/database.js';
import { SignInAttemptsModel } from '../../database/models.js';
import { ProblemError } from '../../http/problem.js';

const MINUTE_MS = 60_000;

/** Attempts that may be made within a window, by what they have in common. */
const LIMITS = [
  { name: 'account-and-address', max: 10, windowMs: MINUTE_MS },
  { name: 'address', max: 60, windowMs: MINUTE_MS },
  { name: 'account', max: 200, windowMs: 10 * MINUTE_MS },
] as const;
type LimitName = (typeof LIMITS)[number]['name'];

export class SignInAttempts {
  constructor(
    private readonly db: Database,
    private readonly now: () => number = Date.now,
  ) {}

  /**
   * Counts an attempt.
   * @param from the address of the caller; IPv6 addresses of one /64 are one
   * @throws ProblemError `too-many-attempts` where a limit is reached; then it is not counted
   */
  async count(account: string, from: string): Promise<void> {
    const address = networkOf(from);
    const keys: Record<LimitName, string> = {
      'account-and-address': JSON.stringify([account, address]),
      'address': JSON.stringify([address]),
      'account': JSON.stringify([account, null]),
    };
    await inTransaction(this.db, async (trx) => {
      for (const { name, max, windowMs } of LIMITS) {
        const key = `${name} ${keys[name]}`;
        await SignInAttemptsModel.query(trx)
          .insert({ key, state: { counters: [], holds: [] }, quietFrom: new Date(this.now() + windowMs) })
          .onConflict('key')
          .ignore();
        const row = await SignInAttemptsModel.query(trx).findById(key).forUpdate().throwIfNotFound();
        const state = new State(row.state);
        // What waited for the row comes after what was counted meanwhile.
        const { isTripped } = state.count(key, this.now(), { max, windowMs });
        if (isTripped) throw tooMany(windowMs);
        await SignInAttemptsModel.query(trx)
          .patch({ state: state.store(), quietFrom: new Date(this.now() + windowMs) })
          .where({ key });
      }
    });
  }

  /** After a right password, what this account tried from there counts no more. */
  async clear(account: string, from: string): Promise<void> {
    await SignInAttemptsModel.query(this.db).deleteById(
      `account-and-address ${JSON.stringify([account, networkOf(from)])}`,
    );
  }

  async removeQuiet(): Promise<void> {
    await SignInAttemptsModel.query(this.db).delete().where('quietFrom', '<', new Date(this.now()));
  }
}

function tooMany(windowMs: number): ProblemError {
  return new ProblemError('too-many-attempts', 'There were too many attempts to sign in.', {
    hint: 'Wait a minute and try again.',
    retryAfterSeconds: Math.ceil(Math.min(windowMs, MINUTE_MS) / 1000),
  });
}

/** An IPv4 address, or the first 64 bits of an IPv6 address. */
function networkOf(address: string): string {
  if (!address.includes(':') || address.startsWith('::ffff:')) return address.replace('::ffff:', '');
  const [head = ''] = address.split('%');
  const [before = '', after] = head.split('::');
  const groups = before === '' ? [] : before.split(':');
  const rest = after === undefined || after === '' ? [] : after.split(':');
  const all = [...groups, ...Array<string>(Math.max(0, 8 - groups.length - rest.length)).fill('0'), ...rest];
  return `${all.slice(0, 4).join(':')}::/64`;
}
