export interface Correction {
  readonly kind: 'country' | 'category';
  /** A range, or a domain or URL. */
  readonly key: string;
  /** A country, or categories joined by commas. */
  readonly value: string;
  readonly reason: string | null;
  readonly changedBy: string | null;
  readonly changedAt: string;
}

/** A correction that was put, and what it took the place of. */
export interface PutCorrection extends Correction {
  /** The earlier correction of the same range or site. */
  readonly replaced: { readonly value: string; readonly reason: string | null } | null;
  /** Categories that nothing had before. */
  readonly newCategories?: readonly string[];
}
