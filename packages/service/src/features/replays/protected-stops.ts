import type { ProtectedStop } from '@jadefence/contract';
import { isStop } from '@jadefence/core/decide';
import { OUTCOMES } from '@jadefence/core/language';
import type { Database } from '../../database/database.js';
import { ReplayModel } from '../../database/models.js';
import { Recent } from '../../recent-cache.js';
import type { ContextStore } from './context-store.js';
import type { DecisionPages } from './decision-pages.js';

const SHOWN = 5;
const KEPT = 32;
/** Of a snapshot so many of its replays are looked at, the latest first. */
const MAX_REPLAYS = 5;

/** Requests of protected clients that a replay stops. */
export class ProtectedStops {
  readonly #kept = new Recent<readonly ProtectedStop[]>(KEPT);

  constructor(
    private readonly db: Database,
    private readonly pages: DecisionPages,
    private readonly judges: ContextStore,
  ) {}

  /** By list, those of which some request is stopped. */
  of(replay: ReplayModel): Promise<readonly ProtectedStop[]> {
    return this.#kept.get(String(replay.id), async () => {
      const { rulebook } = await this.judges.judge(replay);
      const stops: ProtectedStop[] = [];
      for (const [name, { isProtected }] of rulebook.lists) {
        if (!isProtected) continue;
        const where = `client in ${name} and outcome in ${OUTCOMES.filter(isStop).join(', ')}`;
        const { total, rows } = await this.pages.page(replay, { offset: 0, limit: SHOWN, where });
        if (total > 0) stops.push({ replayId: replay.id, list: name, requests: total, where, rows });
      }
      return stops;
    });
  }

  /** Of the replays by one snapshot. */
  async ofSnapshot(snapshotId: number): Promise<readonly ProtectedStop[]> {
    const replays = await ReplayModel.query(this.db)
      .where({ snapshotId, state: 'done' })
      .orderBy('id', 'desc')
      .limit(MAX_REPLAYS);
    const all = [];
    for (const replay of replays) all.push(await this.of(replay));
    return all.flat();
  }
}
