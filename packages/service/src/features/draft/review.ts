import { reviewRules, type Review } from '@jadefence/core/findings';
import type { ReferenceSnapshots } from '../../reference/reference-snapshots.js';
import { usableRulebook } from './check.js';
import type { Drafts } from './draft.js';

const HOUR = '2026-10-12T10'.length;

/** What is probably wrong with the draft, kept until it or the reference data changes. */
export class DraftReviews {
  #last: { readonly key: string; readonly review: Review } | undefined;

  constructor(
    private readonly drafts: Drafts,
    private readonly referenceSnapshots: ReferenceSnapshots,
  ) {}

  /** @throws ProblemError where the draft cannot judge */
  async current(): Promise<Review> {
    const { key: ofDraft, checked } = await this.drafts.checked();
    const rulebook = usableRulebook(checked);
    const now = new Date();
    // What ends soon, and which hours come next, changes with time.
    const key = JSON.stringify([
      ofDraft,
      await this.referenceSnapshots.currentHash(),
      now.toISOString().slice(0, HOUR),
    ]);
    if (this.#last?.key !== key) {
      const { referenceData } = await this.referenceSnapshots.loadCurrent();
      const statements = checked.files.flatMap((file) => file.statements);
      this.#last = { key, review: reviewRules({ statements, rulebook, nowUnixMs: now.getTime(), referenceData }) };
    }
    return this.#last.review;
  }
}
