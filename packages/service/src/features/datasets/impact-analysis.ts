import type { DatasetEffect } from '@jadefence/contract';
import type { Ruling } from '@jadefence/core/decide';
import { invariant } from '@jadefence/core/request';
import type { Database } from '../../database/database.js';
import { DatasetModel, LogModel, ReplayChunkModel, ReplayModel, ReplayResultModel } from '../../database/models.js';
import type { JobAdder } from '../../jobs/job-queue.js';
import { unpackCodes } from '../replays/codes.js';
import type { ReplayRuns } from '../replays/replay-runs.js';
import type { Datasets } from '../../reference/datasets.js';
import type { Doer } from './imports.js';

/** What effects need of rules, without reading them. */
export interface EffectRules {
  /** Whether there are rules that can judge. */
  canJudge(): Promise<boolean>;
  /** The replays of the latest log as it is judged now and with the dataset, made where there are none; undefined without a log. */
  create(datasetId: number): Promise<{ before: EffectReplay; after: EffectReplay } | undefined>;
}

/** A replay and whether it is done. */
export interface EffectReplay {
  readonly id: number;
  readonly state: ReplayModel['state'];
}

/** Finds what a dataset would change: the latest log is replayed as it is judged now, and with the dataset. */
export class ImpactAnalysis {
  constructor(
    private readonly db: Database,
    private readonly datasets: Datasets,
    private readonly rules: EffectRules,
    private readonly runs: ReplayRuns,
    private readonly queue: JobAdder,
  ) {}

  /** @returns false where there is nothing to replay: no log, or no fences that can judge */
  async begin({ id, kind }: DatasetModel, doer: Doer): Promise<boolean> {
    // A list is pinned by what is published, so that a dataset of one changes the draft alone.
    if (kind === 'list') return false;
    const log = await latestLog(this.db);
    if (!log || !(await this.rules.canJudge())) return false;
    await DatasetModel.query(this.db).patch({ state: 'checking' }).where({ id });
    await this.enqueue(id, doer.userId);
    return true;
  }

  async enqueue(id: number, userId: number | null): Promise<void> {
    await this.queue.addCheck(id, userId);
  }

  async unfinished(): Promise<DatasetModel[]> {
    return DatasetModel.query(this.db).where({ state: 'checking' }).orderBy('id');
  }

  /** Replays with and without the dataset and keeps what differs with it. */
  async run(datasetId: number): Promise<void> {
    await this.datasets.find(datasetId);
    const created = await this.rules.create(datasetId);
    if (!created) return;
    const { before, after } = created;
    for (const replay of [before, after]) if (replay.state !== 'done') await this.runs.run(replay.id);
    const { logId, requests, revision } = await ReplayModel.query(this.db).findById(after.id).throwIfNotFound();
    const log = await LogModel.query(this.db).select('name').findById(logId).throwIfNotFound();
    const effect = await this.#compare(before.id, after.id);
    await DatasetModel.query(this.db)
      .patch({ effect: { logId, logName: log.name, replayId: after.id, revision, requests, ...effect } })
      .where({ id: datasetId });
  }

  async #compare(
    beforeId: number,
    afterId: number,
  ): Promise<Pick<DatasetEffect, 'changed' | 'newlyStopped' | 'newlyAllowed'>> {
    const [before, after] = await Promise.all([this.#rulings(beforeId), this.#rulings(afterId)]);
    const effect = { changed: 0, newlyStopped: 0, newlyAllowed: 0 };
    const numbers = await ReplayChunkModel.query(this.db).select('chunk').where({ replayId: afterId }).orderBy('chunk');
    for (const { chunk } of numbers) {
      const [was, is] = await Promise.all([this.#codes(beforeId, chunk), this.#codes(afterId, chunk)]);
      for (const [row, code] of is.entries()) {
        const [old, now] = [before[was[row]!]!, after[code]!];
        if (old.text === now.text) continue;
        effect.changed += 1;
        if (now.isStopped && !old.isStopped) effect.newlyStopped += 1;
        if (old.isStopped && !now.isStopped) effect.newlyAllowed += 1;
      }
    }
    return effect;
  }

  async #rulings(replayId: number): Promise<{ text: string; isStopped: boolean }[]> {
    const replay = await ReplayModel.query(this.db).findById(replayId).throwIfNotFound();
    invariant(replay.state === 'done', `replay ${replayId} of a dataset failed: ${replay.failure}`);
    const results = await ReplayResultModel.query(this.db).where({ replayId }).orderBy('code');
    return results.map(({ ruling }) => ({
      text: whatDecides(ruling),
      isStopped: ruling.outcome !== 'allowed' && ruling.outcome !== 'uncovered',
    }));
  }

  async #codes(replayId: number, chunk: number): Promise<Uint32Array> {
    const { codes, checksum } = await ReplayChunkModel.query(this.db).findById([replayId, chunk]).throwIfNotFound();
    return unpackCodes(codes, checksum);
  }
}

/** The log that came in last. */
export async function latestLog(db: Database): Promise<LogModel | undefined> {
  return LogModel.query(db).where({ state: 'ready' }).orderBy('id', 'desc').first();
}

/** What identifies a decision when it is compared. */
function whatDecides({ outcome, gate, fence, rule, status }: Ruling): string {
  return JSON.stringify([outcome, gate, fence, rule, status]);
}
