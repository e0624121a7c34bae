import { applyEdits, type Edit } from '@jadefence/core/edit';
import { ORDER_BOUNDS, reviewFences, type Review } from '@jadefence/core/findings';
import type { Database } from '../../database/database.js';
import { ReplayModel, SnapshotModel } from '../../database/models.js';
import type { Datasets } from '../../reference/datasets.js';
import type { ReferenceSnapshots } from '../../reference/reference-snapshots.js';
import { toProblem } from './check.js';
import type { Drafts } from './draft.js';
import { checkStored, recheckStored } from './snapshots.js';

const HOUR = '2026-10-12T10'.length;

/** What is probably wrong with the draft, kept until it or the reference data changes. */
export class DraftReviews {
  #last: { readonly key: string; readonly review: Review } | undefined;

  constructor(
    private readonly db: Database,
    private readonly drafts: Drafts,
    private readonly datasets: Datasets,
    private readonly referenceSnapshots: ReferenceSnapshots,
    private readonly maxSteps: number,
  ) {}

  /** As far as the draft can be reviewed: what has errors is left out. */
  async current(): Promise<Review> {
    const { key: ofDraft, snapshot, checked, recheck } = await this.drafts.checked();
    const now = new Date();
    const [isTried, { changes, against }] = await Promise.all([this.#isTried(snapshot), this.drafts.changes()]);
    // What ends soon, and which hours come next, changes with time.
    const key = JSON.stringify([
      ofDraft,
      await this.referenceSnapshots.currentHash(),
      now.toISOString().slice(0, HOUR),
      isTried,
      against,
    ]);
    if (this.#last?.key !== key) {
      const { referenceData } = await this.referenceSnapshots.loadCurrent();
      const [table] = await this.datasets.active('country');
      const review = reviewFences(checked, recheck, {
        nowUnixMs: now.getTime(),
        bounds: { ...ORDER_BOUNDS, maxSteps: this.maxSteps },
        referenceData,
        ...(table ? { countryTableAtUnixMs: table.importedAt.getTime() } : {}),
        draft: { changes: against === null ? [] : changes, isTried },
      });
      this.#last = { key, review };
    }
    return this.#last.review;
  }

  /** What would be wrong with one rule, `fence/rule`, after edits. @throws ProblemError as the edits would */
  async afterEdits(edits: readonly Edit[], about: string): Promise<Review> {
    const before = await this.drafts.configuration();
    const { configuration } = toProblem(() => applyEdits(before, edits));
    const known = { categories: await this.referenceSnapshots.categoryNames() };
    const { referenceData } = await this.referenceSnapshots.loadCurrent();
    return reviewFences(checkStored(configuration, known), (files) => recheckStored(configuration, known, files), {
      nowUnixMs: Date.now(),
      referenceData,
      about,
    });
  }

  /** Whether a replay has judged by the draft as it is. */
  async #isTried(rootHash: string): Promise<boolean> {
    const snapshot = await SnapshotModel.query(this.db).findOne({ rootHash });
    if (!snapshot) return false;
    return (await ReplayModel.query(this.db).where({ snapshotId: snapshot.id, state: 'done' }).resultSize()) > 0;
  }
}
