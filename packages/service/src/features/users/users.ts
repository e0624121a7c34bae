import { createHash, randomBytes } from 'node:crypto';
import { mkdir, rm, writeFile } from 'node:fs/promises';
import { dirname } from 'node:path';
import { ROLES, type CreatedToken, type Role, type AccessToken } from '@jadefence/contract';
import { hash, verify } from '@node-rs/argon2';
import { recordChange, type AuditChange } from '../../database/audit.js';
import { inTransaction, type Database } from '../../database/database.js';
import { TokenModel, UserModel } from '../../database/models.js';
import type { Actor, Identities } from '../../http/authenticate.js';
import { ProblemError } from '../../http/problem.js';
import { SignInAttempts } from './sign-in-attempts.js';

interface NewToken {
  readonly name: string;
  readonly scope: Role;
  readonly expiresInDays?: number;
  /** Shows true values where fields are masked. */
  readonly unmask?: boolean;
}

/** Users, their passwords (argon2id) and their tokens (kept as SHA-256, since they are random). */
export class Users implements Identities {
  constructor(
    private readonly db: Database,
    private readonly attempts: SignInAttempts = new SignInAttempts(db),
  ) {}

  async byToken(token: string): Promise<Actor | undefined> {
    const tokenModel = await TokenModel.query(this.db).findOne({ hash: hashToken(token) });
    if (!tokenModel || (tokenModel.expiresAt && tokenModel.expiresAt.getTime() < Date.now())) return undefined;
    if (!tokenModel.lastUsedAt || Date.now() - tokenModel.lastUsedAt.getTime() > LAST_USE_STEP_MS)
      await TokenModel.query(this.db).patch({ lastUsedAt: new Date() }).where({ id: tokenModel.id });
    const user = await this.byUserId(tokenModel.userId);
    return (
      user && {
        ...user,
        role: smallerRole(user.role, tokenModel.scope),
        tokenId: tokenModel.id,
        isUnmasked: tokenModel.unmask && user.role === 'administrator',
      }
    );
  }

  async byUserId(userId: number): Promise<Actor | undefined> {
    const user = await UserModel.query(this.db).findById(userId);
    return user && { userId: user.id, name: user.name, role: user.role };
  }

  /**
   * @param from the address of the caller
   * @throws ProblemError when the name or the password is wrong, or there were too many attempts
   */
  async checkPassword(name: string, password: string, from: string): Promise<Actor> {
    const actor = await this.#verify(name, password, from);
    await this.#record({ userId: actor.userId, what: 'sign-in', detail: { name, from } });
    return actor;
  }

  async #verify(name: string, password: string, from: string): Promise<Actor> {
    await this.attempts.count(name, from);
    const user = await UserModel.query(this.db).findOne({ name });
    const isRight = await verify(user?.passwordHash ?? (await unknownUserHash), password);
    if (!user || !isRight) {
      await this.#record({ userId: user?.id ?? null, what: 'sign-in.failure', detail: { name, from } });
      throw new ProblemError('invalid-credentials', 'The name or the password is wrong.');
    }
    await this.attempts.clear(name, from);
    return { userId: user.id, name: user.name, role: user.role };
  }

  async recordSignOut({ userId, name }: Actor): Promise<void> {
    await this.#record({ userId, what: 'sign-out', detail: { name } });
  }

  #record(change: AuditChange): Promise<void> {
    return inTransaction(this.db, (trx) => recordChange(trx, change));
  }

  /** @throws ProblemError where `unmask` is requested by someone who is no administrator */
  async createToken(
    actor: Actor,
    { name, scope, expiresInDays = DEFAULT_TOKEN_DAYS, unmask = false }: NewToken,
  ): Promise<CreatedToken> {
    if (unmask && actor.role !== 'administrator')
      throw new ProblemError('not-permitted', `${actor.name} is ${actor.role}; true values are for administrators.`);
    const token = `jft_${randomBytes(32).toString('base64url')}`;
    const granted = smallerRole(actor.role, scope);
    const expiresAt = new Date(Date.now() + expiresInDays * DAY_MS);
    await inTransaction(this.db, async (trx) => {
      await TokenModel.query(trx).insert({
        userId: actor.userId,
        name,
        hash: hashToken(token),
        scope: granted,
        unmask,
        expiresAt,
      });
      await recordChange(trx, {
        userId: actor.userId,
        what: 'token.create',
        detail: { name, scope: granted, ...(unmask ? { unmask } : {}) },
      });
    });
    return { token, name, scope: granted, unmask, expiresAt: expiresAt.toISOString() };
  }

  async listTokens(): Promise<AccessToken[]> {
    const users = new Map((await UserModel.query(this.db)).map((user) => [user.id, user.name]));
    const tokens = await TokenModel.query(this.db).orderBy('id');
    return tokens.map(({ id, userId, name, scope, unmask, createdAt, expiresAt, lastUsedAt }) => ({
      id,
      user: users.get(userId)!,
      name,
      scope,
      unmask,
      createdAt: createdAt.toISOString(),
      expiresAt: expiresAt?.toISOString() ?? null,
      lastUsedAt: lastUsedAt?.toISOString() ?? null,
    }));
  }

  /** @throws ProblemError when there is no such token */
  async revokeToken(actor: Actor, id: number): Promise<void> {
    await inTransaction(this.db, async (trx) => {
      const token = await TokenModel.query(trx).findById(id);
      if (!token)
        throw new ProblemError('not-found', `There is no token ${id}.`, {
          hint: 'jadefence admin token list shows those there are.',
        });
      await TokenModel.query(trx).deleteById(id);
      await recordChange(trx, { userId: actor.userId, what: 'token.revoke', detail: { token: id, name: token.name } });
    });
  }

  /**
   * Sets the password of the caller. Other sessions end, since who knew the old password may have one; tokens stay.
   * @param where the address of the caller, and the session that stays
   * @throws ProblemError where the old password is wrong, or there were too many attempts
   */
  async changePassword(
    actor: Actor,
    { password, newPassword }: { readonly password: string; readonly newPassword: string },
    { from, sessionId }: { readonly from: string; readonly sessionId: string },
  ): Promise<void> {
    await this.#verify(actor.name, password, from);
    const passwordHash = await hash(newPassword);
    await inTransaction(this.db, async (trx) => {
      await UserModel.query(trx).patch({ passwordHash }).where({ id: actor.userId });
      await trx.raw(`delete from sessions where (sess->>'userId')::bigint = ? and sid <> ?`, [actor.userId, sessionId]);
      await recordChange(trx, {
        userId: actor.userId,
        what: 'user.change-password',
        detail: { name: actor.name },
      });
    });
  }

  /** Gives a user a new generated password; their sessions and tokens end. @throws ProblemError when there is no such user */
  async resetPassword(actor: { readonly userId: number | null }, name: string): Promise<{ password: string }> {
    const password = generatePassword();
    const passwordHash = await hash(password);
    await inTransaction(this.db, async (trx) => {
      const user = await UserModel.query(trx).patch({ passwordHash }).where({ name }).returning('id').first();
      if (!user) throw new ProblemError('not-found', `There is no user "${name}".`);
      await TokenModel.query(trx).delete().where({ userId: user.id });
      await trx.raw(`delete from sessions where (sess->>'userId')::bigint = ?`, [user.id]);
      await recordChange(trx, { userId: actor.userId, what: 'user.reset-password', detail: { name } });
    });
    return { password };
  }

  /** Makes the administrator of a new database and writes the sign-in to a file that only its owner can read. @returns whether it did */
  async createFirstAdministrator(signInFile: string, address: string): Promise<boolean> {
    const password = generatePassword();
    const isNew = await inTransaction(this.db, async (trx) => {
      // Of several processes that start at once, one makes it.
      await trx.raw('select pg_advisory_xact_lock(?)', [FIRST_USER_LOCK]);
      const { count } = (await UserModel.query(trx).count().first()) as unknown as { count: number };
      if (count > 0) return false;
      const user = await UserModel.query(trx).insert({
        name: 'admin',
        passwordHash: await hash(password),
        role: 'administrator',
      });
      await recordChange(trx, { userId: null, what: 'user.create', detail: { name: user.name, role: user.role } });
      return true;
    });
    if (!isNew) return false;
    await mkdir(dirname(signInFile), { recursive: true });
    // A file that is there already would keep its mode.
    await rm(signInFile, { force: true });
    await writeFile(signInFile, `address: ${address}\nname: admin\npassword: ${password}\n`, { mode: 0o600 });
    return true;
  }
}

/** Checked where no user has the name, so that the answer takes as long as for one who has. */
const unknownUserHash = hash(generatePassword());

const DAY_MS = 86_400_000;
const DEFAULT_TOKEN_DAYS = 90;
/** The last use of a token is kept this exactly, so that not every request writes. */
const LAST_USE_STEP_MS = 60_000;
const FIRST_USER_LOCK = 7_340_003;

function generatePassword(): string {
  return randomBytes(15).toString('base64url');
}

function hashToken(token: string): string {
  return createHash('sha256').update(token).digest('hex');
}

function smallerRole(a: Role, b: Role): Role {
  return ROLES.indexOf(a) < ROLES.indexOf(b) ? a : b;
}
