export interface PassphraseInfo {
  readonly name: string;
  /** Rules of the draft that require it. */
  readonly usedBy: readonly string[];
  /** Whether the service has one under this name. */
  readonly isSet: boolean;
  readonly changedBy: string | null;
  readonly changedAt: string | null;
}
