import { joinParts, printFences, redirectOf, type Dataset, type EvaluationContext, type Ruling } from '@jadefence/core';
import type { Database } from '../../database/database.js';
import type { ReplayModel } from '../../database/models.js';
import { Recent } from '../../recent.js';
import { prepareContext, type EvaluationInput, type SharedDataset } from '../../work/prepare-judge.js';
import { DRAFT_PATH, loadSnapshot, type DatasetSource } from '../draft/snapshots.js';
import type { ReferenceSnapshots } from '../reference/worlds.js';

const MAX_KEPT = 4;

/** What decisions rest on, besides the log. */
export type EvaluationPin = Pick<ReplayModel, 'snapshotId' | 'worldHash' | 'gate' | 'people'>;

/** What whoever runs replays needs of rules, without reading them. */
export interface EvaluationInputs {
  /** What threads judge by. @throws ProblemError when what was pinned is not here any more */
  source(judged: EvaluationPin): Promise<PinnedInput>;
  /** The URL that each ruling sends a request to, null where none. */
  redirects(judged: EvaluationPin, rulings: readonly Ruling[]): Promise<(string | null)[]>;
}

export interface PinnedInput extends EvaluationInput {
  /** Whether decisions rest on the requests before. */
  readonly isStateful: boolean;
}

/** Prepares the judges of replays from their pinned snapshots and datasets, and keeps the latest few. */
export class ContextStore implements EvaluationInputs {
  readonly #kept = new Recent<{ readonly judge: EvaluationContext; readonly source: PinnedInput }>(MAX_KEPT);

  constructor(
    private readonly db: Database,
    private readonly worlds: ReferenceSnapshots,
    private readonly datasets: DatasetSource,
  ) {}

  async source(judged: EvaluationPin): Promise<PinnedInput> {
    return (await this.#prepared(judged)).source;
  }

  /** @throws ProblemError when what was pinned is not here any more */
  async judge(judged: EvaluationPin): Promise<EvaluationContext> {
    return (await this.#prepared(judged)).judge;
  }

  async redirects(judged: EvaluationPin, rulings: readonly Ruling[]): Promise<(string | null)[]> {
    const { rulebook } = await this.judge(judged);
    return rulings.map((ruling) => redirectOf(rulebook, ruling) ?? null);
  }

  #prepared(judged: EvaluationPin): Promise<{ judge: EvaluationContext; source: PinnedInput }> {
    const { snapshotId, worldHash, gate, people } = judged;
    const contextKey = keyOf(judged);
    return this.#kept.get(contextKey, async () => {
      const { parts, namedFiles, datasets = [] } = await loadSnapshot(this.db, snapshotId, this.datasets);
      const { shared, world } = await this.worlds.load(worldHash);
      const source: EvaluationInput = {
        contextKey,
        fenceFile: { path: DRAFT_PATH, text: printFences(joinParts(parts, DRAFT_PATH)) },
        namedFiles,
        datasets: datasets.map(shareDataset),
        world: shared,
        gate: gate ?? undefined,
        people,
      };
      const judge = prepareContext(source, { world, datasets });
      return { judge, source: { ...source, isStateful: judge.rulebook.isStateful } };
    });
  }
}

/** Keeps what it was told, which may be another thread that told it. */
export class CachedInputs implements EvaluationInputs {
  readonly #sources = new Recent<PinnedInput>(MAX_KEPT);

  constructor(private readonly told: EvaluationInputs) {}

  source(judged: EvaluationPin): Promise<PinnedInput> {
    return this.#sources.get(keyOf(judged), () => this.told.source(judged));
  }

  redirects(judged: EvaluationPin, rulings: readonly Ruling[]): Promise<(string | null)[]> {
    return this.told.redirects(judged, rulings);
  }
}

function keyOf({ snapshotId, worldHash, gate, people }: EvaluationPin): string {
  return JSON.stringify([snapshotId, worldHash, gate, people]);
}

/** A dataset as it is sent to threads. */
export function shareDataset({ name, kind, sha256, buffer }: Dataset): SharedDataset {
  return { name, kind, sha256, buffer: buffer as SharedArrayBuffer };
}
