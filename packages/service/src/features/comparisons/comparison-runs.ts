import type { ComparisonState } from '@jadefence/contract';
import { addBreakdown, createTally, trimTally, type ComparisonTally } from '@jadefence/core/replay';
import type { Logger } from 'pino';
import { isUnreachable, type Database } from '../../database/database.js';
import { takeLease } from '../../database/lease.js';
import { ComparisonModel, type ReplayModel } from '../../database/models.js';
import type { Judging } from '../../threads/evaluation-pool.js';
import type { Logs } from '../logs/logs.js';
import type { DecisionPages } from '../replays/decision-pages.js';
import type { EvaluationInputs } from '../replays/context-store.js';
import type { ReplayRuns } from '../replays/replay-runs.js';
import type { Replays } from '../replays/replays.js';
import { chunksOf } from '../replays/stored-decisions.js';
import { openSides } from './sides.js';

/** Of each country, client and the like, so many with most changed requests are kept. */
const KEPT_VALUES = 200;

interface Parts {
  readonly replays: Replays;
  readonly runs: ReplayRuns;
  readonly pages: DecisionPages;
  readonly sources: EvaluationInputs;
  readonly logs: Logs;
  readonly pool: Judging;
  readonly logger: Logger;
}

/** Runs comparisons: their two replays, and then what differs between them. */
export class ComparisonRuns {
  constructor(
    private readonly db: Database,
    private readonly parts: Parts,
  ) {}

  async unfinished(states: readonly ComparisonState[]): Promise<number[]> {
    const comparisons = await ComparisonModel.query(this.db)
      .whereIn('state', [...states])
      .where((query) => query.whereNull('leasedUntil').orWhereRaw('leased_until < now()'))
      .orderBy('id');
    return comparisons.map(({ id }) => id);
  }

  /** Runs what of the two replays is not done, and keeps what differs; what another process runs is left to it. */
  async run(id: number): Promise<void> {
    const lease = await takeLease(this.db, 'comparisons', id, this.parts.logger);
    if (!lease) return;
    try {
      await this.#run(id);
    } finally {
      await lease.release().catch(() => undefined);
    }
  }

  async #run(id: number): Promise<void> {
    const { replays, runs, logger } = this.parts;
    const comparison = await ComparisonModel.query(this.db).findById(id);
    if (!comparison || comparison.state === 'done') return;
    const { beforeId, afterId } = comparison;
    try {
      await ComparisonModel.query(this.db).patch({ state: 'running', failure: null }).where({ id });
      await runs.run(...new Set([beforeId, afterId]));
      for (const replayId of [beforeId, afterId]) {
        const { state, failure } = await replays.find(replayId);
        if (state !== 'done') throw new Error(failure ?? `Replay ${replayId} is ${state}.`);
      }
      const result = await this.#compare(await replays.find(beforeId), await replays.find(afterId));
      await ComparisonModel.query(this.db).patch({ state: 'done', result }).where({ id });
    } catch (error) {
      // Resumed by the process that looks for unfinished work.
      if (isUnreachable(error)) throw error;
      logger.error({ err: error, comparison: id }, 'comparison failed');
      await ComparisonModel.query(this.db)
        .patch({ state: 'failed', failure: (error as Error).message })
        .where({ id });
    }
  }

  async #compare(before: ReplayModel, after: ReplayModel): Promise<ComparisonTally> {
    const { pages, sources, logs, pool } = this.parts;
    const comparison = await openSides(pages, sources, before, after);
    const rulings = await pages.rulings(after.id);
    const source = await sources.source(after);
    const attributes = await pool.attributesRead(source, false);
    const described = createTally();
    for (const chunk of await chunksOf(this.db, after)) {
      const [was, is] = await Promise.all([pages.codes(before.id, chunk), pages.codes(after.id, chunk)]);
      const rows = comparison.add(was, is);
      if (rows.length === 0) continue;
      const loaded = await logs.load(after.logId, [chunk], attributes);
      const codes = rows.map((row) => is[row]!);
      addBreakdown(described, await pool.describe({ ...source, ...loaded, rows, codes, rulings }));
    }
    trimTally(described, KEPT_VALUES);
    return comparison.tally(described.by);
  }
}
