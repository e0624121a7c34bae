import type { DatasetEffect } from '@jadefence/contract';
import { invariant, type Ruling } from '@jadefence/core';
import { inTransaction, type Database } from '../../database/database.js';
import { DatasetModel, LogModel, ReplayChunkModel, ReplayModel, ReplayResultModel } from '../../database/models.js';
import { ProblemError } from '../../http/problem.js';
import type { JobQueue } from '../../work/job-queue.js';
import { unpackCodes } from '../replays/codes.js';
import type { ReplayRuns } from '../replays/replay-run.js';
import type { Revisions } from '../revisions/revisions.js';
import type { Datasets } from './datasets.js';
import type { Doer } from './imports.js';
import type { WorldPin, Worlds } from './worlds.js';

/** Finds what a dataset would change: the latest log is replayed as it is judged now, and with the dataset. */
export class Effects {
  constructor(
    private readonly db: Database,
    private readonly datasets: Datasets,
    private readonly worlds: Worlds,
    private readonly revisions: Revisions,
    private readonly runs: ReplayRuns,
    private readonly queue: JobQueue,
  ) {}

  /** @returns false where there is nothing to replay: no log, or no fences that can judge */
  async begin({ id, kind }: DatasetModel, doer: Doer): Promise<boolean> {
    // A list is pinned by what is published, so that a dataset of one changes the draft alone.
    if (kind === 'list') return false;
    const log = await this.#latestLog();
    if (!log || !(await this.#canJudge())) return false;
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
    const dataset = await this.datasets.find(datasetId);
    const log = await this.#latestLog();
    if (!log) return;
    const { before, after } = await inTransaction(this.db, async (trx) => {
      const against = await this.revisions.defaultAgainst(trx);
      const { snapshotId } = await this.revisions.pin(trx, against);
      const revision = against === 'draft' ? null : against;
      const replayWith = async (pin?: WorldPin): Promise<ReplayModel> => {
        const worldHash = await this.worlds.pin(trx, pin);
        const inputs = { logId: log.id, snapshotId, worldHash, people: 'goes-on' as const };
        const done = await ReplayModel.query(trx)
          .where({ ...inputs, state: 'done' })
          .whereNull('gate')
          .first();
        if (done) return done;
        return ReplayModel.query(trx)
          .insert({ ...inputs, gate: null, revision, state: 'waiting', requests: log.requests, startedBy: null })
          .returning('*');
      };
      const current = await this.worlds.current(trx);
      return { before: await replayWith(current), after: await replayWith(withDataset(current, dataset)) };
    });
    for (const replay of [before, after]) if (replay.state !== 'done') await this.runs.run(replay.id);
    const effect = await this.#compare(before.id, after.id);
    await DatasetModel.query(this.db)
      .patch({
        effect: {
          logId: log.id,
          logName: log.name,
          replayId: after.id,
          revision: after.revision,
          requests: log.requests,
          ...effect,
        },
      })
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

  async #latestLog(): Promise<LogModel | undefined> {
    return LogModel.query(this.db).where({ state: 'ready' }).orderBy('id', 'desc').first();
  }

  async #canJudge(): Promise<boolean> {
    try {
      await this.revisions.rulebook(await this.revisions.defaultAgainst());
      return true;
    } catch (error) {
      if (error instanceof ProblemError) return false;
      throw error;
    }
  }
}

/** What a decision is known by to whoever asks whether it changed. */
function whatDecides({ outcome, gate, fence, rule, status }: Ruling): string {
  return JSON.stringify([outcome, gate, fence, rule, status]);
}

function withDataset(current: WorldPin, { id, kind, name, sha256 }: DatasetModel): WorldPin {
  const pinned = { id, name, sha256 };
  if (kind === 'country') return { ...current, country: pinned };
  const isThere = current.feeds.some((feed) => feed.name === name);
  const feeds = isThere
    ? current.feeds.map((feed) => (feed.name === name ? pinned : feed))
    : [...current.feeds, pinned];
  return { ...current, feeds };
}
