import { recordChange } from '../../database/audit.js';
import type { Transaction } from '../../database/database.js';
import { DatasetModel, RevisionModel, SnapshotEntryModel } from '../../database/models.js';
import type { Actor } from '../../http/authenticate.js';
import { ProblemError } from '../../http/problem.js';
import type { Datasets } from '../../reference/datasets.js';

/** Takes datasets away for good. */
export class Removals {
  constructor(private readonly datasets: Datasets) {}

  /**
   * Deletes a dataset. Replays that depend on it keep their results, but cannot be repeated any more.
   * @throws ProblemError where it is active or a revision depends on it
   */
  async remove(id: number, actor: Actor): Promise<void> {
    await this.datasets.change(async (trx) => {
      const dataset = await this.datasets.find(id, trx);
      const { kind, name, sha256 } = dataset;
      if (dataset.isActive)
        throw new ProblemError('dataset-in-use', `Dataset ${id} (${name}) is the active one.`, {
          hint: 'Use another one first.',
        });
      const revisions = kind === 'list' ? await this.#revisionsOf(trx, dataset) : [];
      if (revisions.length > 0)
        throw new ProblemError(
          'dataset-in-use',
          `Dataset ${id} (${name}) is part of revision ${revisions.join(', ')}.`,
          {
            hint: 'Revisions stay as they were published, so it has to stay, too.',
          },
        );
      await DatasetModel.query(trx).deleteById(id);
      await recordChange(trx, {
        userId: actor.userId,
        what: 'dataset.delete',
        detail: { dataset: id, kind, name, sha256 },
      });
    });
    this.datasets.evict(id);
  }

  async #revisionsOf(trx: Transaction, { name, sha256 }: DatasetModel): Promise<number[]> {
    const snapshots = SnapshotEntryModel.query(trx)
      .joinRelated('object')
      .where({ 'snapshot_entries.kind': 'dataset', 'snapshot_entries.name': name, 'object.body': sha256 })
      .select('snapshotId');
    return (await RevisionModel.query(trx).whereIn('snapshotId', snapshots).orderBy('number')).map(
      ({ number }) => number,
    );
  }
}
