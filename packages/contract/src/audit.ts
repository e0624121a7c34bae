export interface AuditEntry {
  readonly id: number;
  readonly at: string;
  readonly user: string | null;
  readonly what: string;
  readonly detail: Readonly<Record<string, unknown>>;
}

/** What a check of the whole audit trail found. */
export interface AuditCheck {
  readonly isIntact: boolean;
  readonly numEntries: number;
  readonly problem?: string;
}

export interface AuditPage {
  readonly total: number;
  /** Whether every entry still fits the one before it. */
  readonly isIntact: boolean;
  /** The first entry that does not fit, and in which way. */
  readonly problem?: string;
  readonly entries: readonly AuditEntry[];
}
