export const ROLES = ['viewer', 'editor', 'administrator'] as const;

/** What a user may do: look, change rules and logs, or also manage users and tokens. A token's scope is one of these, too. */
export type Role = (typeof ROLES)[number];

export interface Session {
  readonly name: string;
  readonly role: Role;
}

export interface CreatedToken {
  /** Shown once; the service keeps only a hash. */
  readonly token: string;
  readonly name: string;
  readonly scope: Role;
  readonly expiresAt: string | null;
  /** Shows true values where fields are masked. */
  readonly unmask: boolean;
}

export interface AccessToken {
  readonly id: number;
  readonly user: string;
  readonly name: string;
  readonly scope: Role;
  /** Shows true values where fields are masked. */
  readonly unmask: boolean;
  readonly createdAt: string;
  readonly expiresAt: string | null;
  /** To the minute; null before the first use. */
  readonly lastUsedAt: string | null;
}
