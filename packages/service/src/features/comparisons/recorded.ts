import type { RecordedComparisonResult, RecordedPage, RecordedRequestsQuery } from '@jadefence/contract';
import { RECORDED_STOPS, RecordedComparison, recordedKey, type RecordedGroup } from '@jadefence/core/replay';
import type { DecidedChunk } from '@jadefence/core/traffic';
import type { Database } from '../../database/database.js';
import type { ReplayModel } from '../../database/models.js';
import { ProblemError } from '../../http/problem.js';
import { Recent } from '../../recent-cache.js';
import type { Logs } from '../logs/logs.js';
import type { ContextStore } from '../replays/context-store.js';
import type { DecisionPages } from '../replays/decision-pages.js';
import type { Replays } from '../replays/replays.js';
import { StoredDecisions } from '../replays/stored-decisions.js';
import { redirectsOf } from './sides.js';

const STATUS = 'http.response.status_code';
const KEPT = 8;

interface Parts {
  readonly replays: Replays;
  readonly pages: DecisionPages;
  readonly judges: ContextStore;
  readonly logs: Logs;
}

/** A replay compared with the statuses of its log: what was stopped in fact, and what would be. */
export class RecordedComparisons {
  /** Of a replay that is done nothing changes any more. */
  readonly #results = new Recent<RecordedComparisonResult>(KEPT);

  constructor(
    private readonly db: Database,
    private readonly parts: Parts,
  ) {}

  /** @throws ProblemError when there is no such replay, it is not done, or its log has no status */
  async result(replayId: number, stops: readonly number[] = RECORDED_STOPS): Promise<RecordedComparisonResult> {
    const replay = await this.parts.replays.findDone(replayId);
    return this.#results.get(`${replayId} ${stops.join()}`, async () => {
      const comparison = await this.#open(replay, stops);
      for await (const { rows, codes } of this.#chunks(replay)) comparison.add(rows, codes);
      const tally = comparison.tally();
      const numUnknown = Object.values(tally.matrix.unknown ?? {}).reduce((sum, count) => sum + count, 0);
      if (numUnknown === tally.requests)
        throw new ProblemError('bad-layout', `No request of the log of replay ${replayId} has a status.`, {
          hint: 'Import a log that has the status of each response; with CSV or your own format, name its column.',
        });
      return { ...tally, stops };
    });
  }

  /** Requests of one group, or all that differ, in the order of the log. */
  async requests(
    replayId: number,
    { offset, limit, group, stops = RECORDED_STOPS }: RecordedRequestsQuery,
  ): Promise<RecordedPage> {
    const { pages, judges } = this.parts;
    const replay = await this.parts.replays.findDone(replayId);
    const { groups, newlyPassed, newlyStopped } = await this.result(replayId, stops);
    const wanted = group === undefined ? undefined : groups[group];
    if (group !== undefined && !wanted)
      throw new ProblemError('not-found', `There is no group ${group}; there are ${groups.length}.`);
    const key = wanted && recordedKey(wanted);
    const isWanted = (one: RecordedGroup): boolean => (key === undefined ? one.isDifferent : recordedKey(one) === key);
    const total = wanted ? wanted.requests : newlyPassed + newlyStopped;
    const comparison = await this.#open(replay, stops);
    const context = await judges.judge(replay);
    const rulings = await pages.rulings(replay.id);
    const rows: RecordedPage['rows'][number][] = [];
    let seen = 0;
    for await (const { chunk, rows: records, codes } of this.#chunks(replay)) {
      if (rows.length === limit || seen === total) break;
      const page: number[] = [];
      const statuses: (string | undefined)[] = [];
      comparison.visit(records, codes, (row, one) => {
        if (!isWanted(one)) return;
        seen += 1;
        if (seen <= offset || rows.length + page.length === limit) return;
        page.push(row);
        statuses.push(one.status);
      });
      const read = await pages.readRows(replay, context, chunk, rulings, Uint32Array.from(page));
      for (const [index, row] of read.entries()) {
        const recordedStatus = statuses[index];
        rows.push({ ...row, ...(recordedStatus === undefined ? {} : { recordedStatus }) });
      }
    }
    return { offset, total, rows };
  }

  async #open(replay: ReplayModel, stops: readonly number[]): Promise<RecordedComparison> {
    const rulings = await this.parts.pages.rulings(replay.id);
    return new RecordedComparison(rulings, await redirectsOf(this.parts.judges, replay, rulings), stops);
  }

  async *#chunks(replay: ReplayModel): AsyncGenerator<DecidedChunk> {
    yield* (await StoredDecisions.of(this.db, this.parts, replay)).chunks([STATUS]);
  }
}
