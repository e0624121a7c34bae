import type { RuleUse } from '@jadefence/contract';
import { coverByExpectations } from '@jadefence/core/expectations';
import { useOfRules } from '@jadefence/core/traffic';
import type { Database } from '../../database/database.js';
import { LogModel, ReplayModel } from '../../database/models.js';
import type { ReferenceSnapshots } from '../../reference/reference-snapshots.js';
import type { Drafts } from '../draft/draft.js';

const DAY_MS = 86_400_000;
const DEFAULT_DAYS = 30;
const MAX_REPLAYS = 30;

/** What the rules of the draft did in replays, what they cost, and which of them no expectation decides. */
export class RuleUses {
  constructor(
    private readonly db: Database,
    private readonly drafts: Drafts,
    private readonly referenceSnapshots: ReferenceSnapshots,
  ) {}

  async of(days = DEFAULT_DAYS): Promise<RuleUse> {
    const rulebook = await this.drafts.rulebook();
    const { referenceData } = await this.referenceSnapshots.loadCurrent();
    const { rules: covered, repeats } = coverByExpectations({ rulebook, ...referenceData });
    const expectations = new Map(covered.map((one) => [one.rule, one.expectations]));
    const replays = await this.#replays(days);
    const logs = new Map(
      (
        await LogModel.query(this.db)
          .select('id', 'name')
          .findByIds(replays.map(({ logId }) => logId))
      ).map((log) => [log.id, log.name]),
    );
    const tallies = replays.map(({ tally }) => tally!);
    return {
      replays: replays.map(({ id, logId, tally }) => ({
        id,
        logName: logs.get(logId) ?? '',
        requests: tally!.requests,
        fromUnixMs: tally!.fromUnixMs ?? null,
        toUnixMs: tally!.toUnixMs ?? null,
      })),
      rules: useOfRules(rulebook, tallies, expectations),
      repeats,
    };
  }

  /** Of each log the latest, in the order of what the logs are of. */
  async #replays(days: number): Promise<ReplayModel[]> {
    const replays = await ReplayModel.query(this.db)
      .select('id', 'logId', 'tally')
      .where({ state: 'done' })
      .whereNull('folder')
      .where('startedAt', '>=', new Date(Date.now() - days * DAY_MS))
      .orderBy('id', 'desc')
      .limit(MAX_REPLAYS * 4);
    const latest = new Map<number, ReplayModel>();
    for (const replay of replays) if (replay.tally && !latest.has(replay.logId)) latest.set(replay.logId, replay);
    return [...latest.values()]
      .slice(0, MAX_REPLAYS)
      .sort((a, b) => (a.tally!.fromUnixMs ?? 0) - (b.tally!.fromUnixMs ?? 0) || a.id - b.id);
  }
}
