import { inTransaction, type Database } from '../../database/database.js';
import { ReplayModel, type DatasetModel } from '../../database/models.js';
import { ProblemError } from '../../http/problem.js';
import type { Revisions } from '../revisions/revisions.js';
import type { Datasets } from '../../reference/datasets.js';
import { latestLog, type EffectRules } from './impact-analysis.js';
import type { ReferencePin, ReferenceSnapshots } from '../../reference/reference-snapshots.js';

/** Makes the replays whose comparison shows what a dataset would change. */
export class EffectReplays implements EffectRules {
  constructor(
    private readonly db: Database,
    private readonly datasets: Datasets,
    private readonly referenceSnapshots: ReferenceSnapshots,
    private readonly revisions: Revisions,
  ) {}

  async canJudge(): Promise<boolean> {
    try {
      await this.revisions.rulebook(await this.revisions.defaultAgainst());
      return true;
    } catch (error) {
      if (error instanceof ProblemError) return false;
      throw error;
    }
  }

  async create(datasetId: number): ReturnType<EffectRules['create']> {
    const dataset = await this.datasets.find(datasetId);
    const log = await latestLog(this.db);
    if (!log) return undefined;
    return inTransaction(this.db, async (trx) => {
      const against = await this.revisions.defaultAgainst(trx);
      const { snapshotId } = await this.revisions.pin(trx, against);
      const revision = against === 'draft' ? null : against;
      const replayWith = async (pin?: ReferencePin): Promise<Pick<ReplayModel, 'id' | 'state'>> => {
        const referenceHash = await this.referenceSnapshots.pin(trx, pin);
        const inputs = { logId: log.id, snapshotId, referenceHash, held: 'continue' as const };
        const replay =
          (await ReplayModel.query(trx)
            .where({ ...inputs, state: 'done' })
            .whereNull('gate')
            .first()) ??
          (await ReplayModel.query(trx)
            .insert({ ...inputs, gate: null, revision, state: 'waiting', requests: log.requests, startedBy: null })
            .returning('*'));
        return { id: replay.id, state: replay.state };
      };
      const current = await this.referenceSnapshots.current(trx);
      return { before: await replayWith(current), after: await replayWith(withDataset(current, dataset)) };
    });
  }
}

function withDataset(current: ReferencePin, { id, kind, name, sha256 }: DatasetModel): ReferencePin {
  const pinned = { id, name, sha256 };
  if (kind === 'country') return { ...current, country: pinned };
  const isThere = current.feeds.some((feed) => feed.name === name);
  const feeds = isThere
    ? current.feeds.map((feed) => (feed.name === name ? pinned : feed))
    : [...current.feeds, pinned];
  return { ...current, feeds };
}
