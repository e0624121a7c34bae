import { printFences, joinParts, type Dataset, type Judge } from '@jadefence/core';
import type { Database } from '../../database/database.js';
import type { ReplayModel } from '../../database/models.js';
import { prepareJudge, type JudgeSource, type SharedDataset } from '../../work/prepare-judge.js';
import { DRAFT_PATH, loadSnapshot, type DatasetSource } from '../draft/snapshots.js';
import type { Worlds } from '../reference/worlds.js';

const MAX_KEPT = 4;

/** What decisions rest on, besides the log. */
export type JudgedBy = Pick<ReplayModel, 'snapshotId' | 'worldHash' | 'gate' | 'people'>;

/** Prepares the judges of replays from their pinned snapshots and datasets, and keeps the latest few. */
export class Judges {
  readonly #kept = new Map<string, Judge>();

  constructor(
    private readonly db: Database,
    private readonly worlds: Worlds,
    private readonly datasets: DatasetSource,
  ) {}

  /** What threads judge by. @throws ProblemError when what was pinned is not here any more */
  async source(judged: JudgedBy): Promise<JudgeSource> {
    const { snapshotId, worldHash, gate, people } = judged;
    const { parts, namedFiles, datasets = [] } = await loadSnapshot(this.db, snapshotId, this.datasets);
    return {
      judgeKey: keyOf(judged),
      fenceFile: { path: DRAFT_PATH, text: printFences(joinParts(parts, DRAFT_PATH)) },
      namedFiles,
      datasets: datasets.map(shareDataset),
      world: (await this.worlds.load(worldHash)).shared,
      gate: gate ?? undefined,
      people,
    };
  }

  async judge(replay: JudgedBy): Promise<Judge> {
    const key = keyOf(replay);
    const kept = this.#kept.get(key);
    if (kept) return kept;
    const { datasets } = await loadSnapshot(this.db, replay.snapshotId, this.datasets);
    const { world } = await this.worlds.load(replay.worldHash);
    const judge = prepareJudge(await this.source(replay), { world, datasets });
    if (this.#kept.size >= MAX_KEPT) this.#kept.delete(this.#kept.keys().next().value!);
    this.#kept.set(key, judge);
    return judge;
  }
}

function keyOf({ snapshotId, worldHash, gate, people }: JudgedBy): string {
  return JSON.stringify([snapshotId, worldHash, gate, people]);
}

/** A dataset as it is sent to threads. */
export function shareDataset({ name, kind, sha256, buffer }: Dataset): SharedDataset {
  return { name, kind, sha256, buffer: buffer as SharedArrayBuffer };
}
