import type { EvaluationContext, Ruling } from '@jadefence/core/decide';
import { redirectOf } from '@jadefence/core/explain';
import { joinParts, printFences } from '@jadefence/core/language';
import type { Dataset } from '@jadefence/core/reference';
import type { Database } from '../../database/database.js';
import type { ReplayModel } from '../../database/models.js';
import { Recent } from '../../recent-cache.js';
import { prepareContext, type EvaluationInput, type SharedDataset } from '../../threads/prepare-context.js';
import { DRAFT_PATH, loadSnapshot, type DatasetSource } from '../draft/snapshots.js';
import type { ReferenceSnapshots } from '../../reference/reference-snapshots.js';

const MAX_KEPT = 4;

/** What decisions depend on, besides the log. */
export type EvaluationPin = Pick<ReplayModel, 'snapshotId' | 'referenceHash' | 'gate' | 'held'>;

/** What running a replay needs of the rules, without reading them. */
export interface EvaluationInputs {
  /** What threads judge by. @throws ProblemError when what was pinned is not here any more */
  source(judged: EvaluationPin): Promise<PinnedInput>;
  /** The URL that each ruling sends a request to, null where none. */
  redirects(judged: EvaluationPin, rulings: readonly Ruling[]): Promise<(string | null)[]>;
}

export interface PinnedInput extends EvaluationInput {
  /** Whether decisions depend on the requests before. */
  readonly isStateful: boolean;
}

/** Prepares the judges of replays from their pinned snapshots and datasets, and keeps the latest few. */
export class ContextStore implements EvaluationInputs {
  readonly #kept = new Recent<{ readonly context: EvaluationContext; readonly source: PinnedInput }>(MAX_KEPT);

  constructor(
    private readonly db: Database,
    private readonly referenceSnapshots: ReferenceSnapshots,
    private readonly datasets: DatasetSource,
  ) {}

  async source(judged: EvaluationPin): Promise<PinnedInput> {
    return (await this.#prepared(judged)).source;
  }

  /** @throws ProblemError when what was pinned is not here any more */
  async judge(judged: EvaluationPin): Promise<EvaluationContext> {
    return (await this.#prepared(judged)).context;
  }

  async redirects(judged: EvaluationPin, rulings: readonly Ruling[]): Promise<(string | null)[]> {
    const { rulebook } = await this.judge(judged);
    return rulings.map((ruling) => redirectOf(rulebook, ruling) ?? null);
  }

  #prepared(judged: EvaluationPin): Promise<{ context: EvaluationContext; source: PinnedInput }> {
    const { snapshotId, referenceHash, gate, held } = judged;
    const contextKey = keyOf(judged);
    return this.#kept.get(contextKey, async () => {
      const { parts, namedFiles, datasets = [] } = await loadSnapshot(this.db, snapshotId, this.datasets);
      const { shared, referenceData: referenceData } = await this.referenceSnapshots.load(referenceHash);
      const source: EvaluationInput = {
        contextKey,
        fenceFile: { path: DRAFT_PATH, text: printFences(joinParts(parts, DRAFT_PATH)) },
        namedFiles,
        datasets: datasets.map(shareDataset),
        referenceData: shared,
        gate: gate ?? undefined,
        held,
      };
      const context = prepareContext(source, { referenceData: referenceData, datasets });
      return { context: context, source: { ...source, isStateful: context.rulebook.isStateful } };
    });
  }
}

/** Caches inputs, which another thread may have prepared. */
export class CachedInputs implements EvaluationInputs {
  readonly #sources = new Recent<PinnedInput>(MAX_KEPT);

  constructor(private readonly shown: EvaluationInputs) {}

  source(judged: EvaluationPin): Promise<PinnedInput> {
    return this.#sources.get(keyOf(judged), () => this.shown.source(judged));
  }

  redirects(judged: EvaluationPin, rulings: readonly Ruling[]): Promise<(string | null)[]> {
    return this.shown.redirects(judged, rulings);
  }
}

function keyOf({ snapshotId, referenceHash, gate, held }: EvaluationPin): string {
  return JSON.stringify([snapshotId, referenceHash, gate, held]);
}

/** A dataset as it is sent to threads. */
export function shareDataset({ name, kind, sha256, buffer }: Dataset): SharedDataset {
  return { name, kind, sha256, buffer: buffer as SharedArrayBuffer };
}
