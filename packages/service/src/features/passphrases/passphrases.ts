import type { PassphraseInfo } from '@jadefence/contract';
import { passphrasesOf } from '@jadefence/core/edit';
import { hash } from '@node-rs/argon2';
import { recordChange } from '../../database/audit.js';
import { inTransaction, type Database } from '../../database/database.js';
import { PassphraseModel, UserModel } from '../../database/models.js';
import type { Actor } from '../../http/authenticate.js';
import { ProblemError } from '../../http/problem.js';
import type { Drafts } from '../draft/draft.js';

/** The passphrases that rules require by name. Only hashes are kept; files hold the names. */
export class Passphrases {
  constructor(
    private readonly db: Database,
    private readonly drafts: Drafts,
  ) {}

  /** Those that are set, and those that rules of the draft require. */
  async list(): Promise<PassphraseInfo[]> {
    const used = passphrasesOf((await this.drafts.sources()).parts);
    const set = new Map((await PassphraseModel.query(this.db)).map((passphrase) => [passphrase.name, passphrase]));
    const ids = [...set.values()].flatMap(({ changedBy }) => changedBy ?? []);
    const names = new Map((await UserModel.query(this.db).findByIds(ids)).map((user) => [user.id, user.name]));
    return [...new Set([...set.keys(), ...used.keys()])].sort().map((name) => ({
      name,
      usedBy: used.get(name) ?? [],
      isSet: set.has(name),
      changedBy: names.get(set.get(name)?.changedBy ?? -1) ?? null,
      changedAt: set.get(name)?.changedAt.toISOString() ?? null,
    }));
  }

  /** Sets a passphrase, or another under the same name. The audit trail keeps that it was set, not what it is. */
  async set(name: string, passphrase: string, actor: Actor): Promise<void> {
    const fields = { hash: await hash(passphrase), changedBy: actor.userId, changedAt: new Date() };
    await inTransaction(this.db, async (trx) => {
      await PassphraseModel.query(trx)
        .insert({ name, ...fields })
        .onConflict('name')
        .merge();
      await recordChange(trx, { userId: actor.userId, what: 'passphrase.set', detail: { name } });
    });
  }

  /** @throws ProblemError if there is none, or a rule of the draft requires it */
  async remove(name: string, actor: Actor): Promise<void> {
    const users = passphrasesOf((await this.drafts.sources()).parts).get(name) ?? [];
    if (users.length > 0)
      throw new ProblemError('part-in-use', `The passphrase ${name} is requested by ${users.join(', ')}.`, {
        hint: 'Change these rules first.',
      });
    await inTransaction(this.db, async (trx) => {
      if ((await PassphraseModel.query(trx).deleteById(name)) === 0)
        throw new ProblemError('not-found', `There is no passphrase "${name}".`);
      await recordChange(trx, { userId: actor.userId, what: 'passphrase.remove', detail: { name } });
    });
  }
}
