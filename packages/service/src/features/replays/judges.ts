import { joinParts, printFences, redirectOf, type Dataset, type EvaluationContext, type Ruling } from '@jadefence/core';
import type { Database } from '../../database/database.js';
import type { ReplayModel } from '../../database/models.js';
import { Recent } from '../../recent.js';
import { prepareJudge, type JudgeSource, type SharedDataset } from '../../work/prepare-judge.js';
import { DRAFT_PATH, loadSnapshot, type DatasetSource } from '../draft/snapshots.js';
import type { Worlds } from '../reference/worlds.js';

const MAX_KEPT = 4;

/** What decisions rest on, besides the log. */
export type JudgedBy = Pick<ReplayModel, 'snapshotId' | 'worldHash' | 'gate' | 'people'>;

/** What whoever runs replays needs of rules, without reading them. */
export interface JudgeSources {
  /** What threads judge by. @throws ProblemError when what was pinned is not here any more */
  source(judged: JudgedBy): Promise<PinnedSource>;
  /** The URL that each ruling sends a request to, null where none. */
  redirects(judged: JudgedBy, rulings: readonly Ruling[]): Promise<(string | null)[]>;
}

export interface PinnedSource extends JudgeSource {
  /** Whether decisions rest on the requests before. */
  readonly isStateful: boolean;
}

/** Prepares the judges of replays from their pinned snapshots and datasets, and keeps the latest few. */
export class Judges implements JudgeSources {
  readonly #kept = new Recent<{ readonly judge: EvaluationContext; readonly source: PinnedSource }>(MAX_KEPT);

  constructor(
    private readonly db: Database,
    private readonly worlds: Worlds,
    private readonly datasets: DatasetSource,
  ) {}

  async source(judged: JudgedBy): Promise<PinnedSource> {
    return (await this.#prepared(judged)).source;
  }

  /** @throws ProblemError when what was pinned is not here any more */
  async judge(judged: JudgedBy): Promise<EvaluationContext> {
    return (await this.#prepared(judged)).judge;
  }

  async redirects(judged: JudgedBy, rulings: readonly Ruling[]): Promise<(string | null)[]> {
    const { rulebook } = await this.judge(judged);
    return rulings.map((ruling) => redirectOf(rulebook, ruling) ?? null);
  }

  #prepared(judged: JudgedBy): Promise<{ judge: EvaluationContext; source: PinnedSource }> {
    const { snapshotId, worldHash, gate, people } = judged;
    const judgeKey = keyOf(judged);
    return this.#kept.get(judgeKey, async () => {
      const { parts, namedFiles, datasets = [] } = await loadSnapshot(this.db, snapshotId, this.datasets);
      const { shared, world } = await this.worlds.load(worldHash);
      const source: JudgeSource = {
        judgeKey,
        fenceFile: { path: DRAFT_PATH, text: printFences(joinParts(parts, DRAFT_PATH)) },
        namedFiles,
        datasets: datasets.map(shareDataset),
        world: shared,
        gate: gate ?? undefined,
        people,
      };
      const judge = prepareJudge(source, { world, datasets });
      return { judge, source: { ...source, isStateful: judge.rulebook.isStateful } };
    });
  }
}

/** Keeps what it was told, which may be another thread that told it. */
export class KeptSources implements JudgeSources {
  readonly #sources = new Recent<PinnedSource>(MAX_KEPT);

  constructor(private readonly told: JudgeSources) {}

  source(judged: JudgedBy): Promise<PinnedSource> {
    return this.#sources.get(keyOf(judged), () => this.told.source(judged));
  }

  redirects(judged: JudgedBy, rulings: readonly Ruling[]): Promise<(string | null)[]> {
    return this.told.redirects(judged, rulings);
  }
}

function keyOf({ snapshotId, worldHash, gate, people }: JudgedBy): string {
  return JSON.stringify([snapshotId, worldHash, gate, people]);
}

/** A dataset as it is sent to threads. */
export function shareDataset({ name, kind, sha256, buffer }: Dataset): SharedDataset {
  return { name, kind, sha256, buffer: buffer as SharedArrayBuffer };
}
