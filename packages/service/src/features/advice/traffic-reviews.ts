import { reviewTraffic, type TrafficFinding } from '@jadefence/core/traffic';
import { invariant } from '@jadefence/core/request';
import type { Database } from '../../database/database.js';
import { ReplayModel } from '../../database/models.js';
import { Recent } from '../../recent-cache.js';
import type { Logs } from '../logs/logs.js';
import type { ContextStore } from '../replays/context-store.js';
import type { DecisionPages } from '../replays/decision-pages.js';
import type { Replays } from '../replays/replays.js';
import { StoredDecisions } from '../replays/stored-decisions.js';

const KEPT = 8;

interface Parts {
  readonly replays: Replays;
  readonly pages: DecisionPages;
  readonly judges: ContextStore;
  readonly logs: Logs;
}

/** What the decisions of a replay show to be probably wrong. */
export class TrafficReviews {
  /** Of a replay that is done nothing changes any more. */
  readonly #kept = new Recent<readonly TrafficFinding[]>(KEPT);

  constructor(
    private readonly db: Database,
    private readonly parts: Parts,
  ) {}

  /** @throws ProblemError when there is no such replay, or it is not done */
  async of(replayId: number, signal?: AbortSignal): Promise<readonly TrafficFinding[]> {
    const replay = await this.parts.replays.findDone(replayId);
    return this.#kept.get(String(replayId), () => this.#find(replay, signal));
  }

  async #find(replay: ReplayModel, signal: AbortSignal | undefined): Promise<readonly TrafficFinding[]> {
    const tally = (await ReplayModel.query(this.db).select('tally').findById(replay.id))?.tally;
    invariant(tally, `replay ${replay.id} is done without a tally`);
    return reviewTraffic(await StoredDecisions.of(this.db, this.parts, replay, signal), tally);
  }
}
