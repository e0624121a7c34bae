import { ROLES, type Role } from '@jadefence/contract';
import type { Request } from 'express';
import { ProblemError } from './problem.js';

/** Who makes a request, and what they may do. */
export interface Actor {
  readonly userId: number;
  readonly name: string;
  readonly role: Role;
  /** Sees true values where fields are masked. */
  readonly isUnmasked?: boolean;
  /** The token that speaks; absent where a session does. */
  readonly tokenId?: number;
}

/** Finds who is behind a token or a session. */
export interface Identities {
  byToken(token: string): Promise<Actor | undefined>;
  byUserId(userId: number): Promise<Actor | undefined>;
}

declare module 'express-session' {
  interface SessionData {
    userId: number;
    /** When its user signed in; it ends a day later, however much it is used. */
    startedAtUnixMs: number;
    /** Until then it shows true values where fields are masked. */
    unmaskedUntilUnixMs?: number;
  }
}

const MAX_SESSION_MS = 24 * 60 * 60 * 1000;
const SAFE_METHODS = new Set(['GET', 'HEAD', 'OPTIONS']);

/** Admits requests by bearer token (RFC 6750) or session cookie. */
export class Authenticator {
  constructor(private readonly identities: Identities) {}

  /** @throws ProblemError if no one is signed in, the role is too small, or the request comes from another site */
  async admit(request: Request, access: Role | 'public'): Promise<Actor | undefined> {
    const bearer = /^Bearer (\S+)$/i.exec(request.headers.authorization ?? '')?.[1];
    if (bearer === undefined) refuseForeignOrigin(request);
    if (access === 'public') return undefined;
    const actor = await this.#identify(request, bearer);
    if (!actor)
      throw new ProblemError(
        'unauthenticated',
        bearer ? 'The token is not valid or has expired.' : 'This needs a sign-in.',
        { hint: 'Sign in on the console, or run jadefence login.' },
      );
    if (ROLES.indexOf(actor.role) < ROLES.indexOf(access)) {
      throw new ProblemError('not-permitted', `${actor.name} is ${actor.role} here; this needs ${access}.`);
    }
    return actor;
  }

  async #identify(request: Request, bearer: string | undefined): Promise<Actor | undefined> {
    if (bearer !== undefined) return this.identities.byToken(bearer);
    const { userId, startedAtUnixMs = 0, unmaskedUntilUnixMs = 0 } = request.session;
    if (userId === undefined || Date.now() - startedAtUnixMs > MAX_SESSION_MS) return undefined;
    const actor = await this.identities.byUserId(userId);
    return actor && { ...actor, isUnmasked: actor.role === 'administrator' && Date.now() < unmaskedUntilUnixMs };
  }
}

/** A browser reports where a writing request comes from; the cookie alone is not enough to believe it. */
function refuseForeignOrigin(request: Request): void {
  const { origin, host, 'sec-fetch-site': site } = request.headers;
  if (SAFE_METHODS.has(request.method)) return;
  if (site === 'cross-site')
    throw new ProblemError('cross-origin-forbidden', 'A page of another site may not change anything here.');
  if (origin === undefined) return;
  if (!URL.canParse(origin) || new URL(origin).host !== host)
    throw new ProblemError('cross-origin-forbidden', `A page of ${origin} may not change anything here.`);
}
