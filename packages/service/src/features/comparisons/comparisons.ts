import { setTimeout as sleep } from 'node:timers/promises';
import type {
  ChangePage,
  ChangeRow,
  ComparisonInfo,
  ComparisonProgress,
  ComparisonResult,
  Replay,
  ComparisonRequest,
} from '@jadefence/contract';
import type { ListQuery } from '@jadefence/contract/server';
import { summarizeBreakdowns, type Side } from '@jadefence/core/replay';
import { invariant } from '@jadefence/core/request';
import { refuseCrowd } from '../../admission.js';
import { recordChange } from '../../database/audit.js';
import { inTransaction, type Database, type Transaction } from '../../database/database.js';
import { ComparisonModel, type ReplayModel } from '../../database/models.js';
import type { Actor } from '../../http/authenticate.js';
import { ProblemError } from '../../http/problem.js';
import type { JobAdder } from '../../jobs/job-queue.js';
import type { Judging } from '../../threads/evaluation-pool.js';
import type { Logs } from '../logs/logs.js';
import type { DecisionPages } from '../replays/decision-pages.js';
import type { ContextStore } from '../replays/context-store.js';
import { chunksOf } from '../replays/stored-decisions.js';
import { openSides } from './sides.js';
import type { ReplayInputs, Replays } from '../replays/replays.js';

const PROGRESS_MS = 250;
/** All that is known of a comparison but its result. */
const WITHOUT_RESULT = [
  'id',
  'beforeId',
  'afterId',
  'state',
  'failure',
  'startedBy',
  'startedAt',
] as const satisfies readonly (keyof ComparisonModel)[];

interface Parts {
  readonly replays: Replays;
  readonly pages: DecisionPages;
  readonly judges: ContextStore;
  readonly logs: Logs;
  readonly pool: Judging;
  readonly queue: JobAdder;
  /** How many may wait. */
  readonly maxWaiting: number;
}

interface ChangesQuery {
  readonly offset: number;
  readonly limit: number;
  /** The place of a group in the result; all changes where absent. */
  readonly group?: number;
}

export class Comparisons {
  constructor(
    private readonly db: Database,
    private readonly parts: Parts,
  ) {}

  /** @throws ProblemError when there is no such log, revision or gate, or one side cannot judge */
  async start({ before, after, ...options }: ComparisonRequest, actor: Actor): Promise<ComparisonInfo> {
    const { replays, queue } = this.parts;
    const comparison = await inTransaction(this.db, async (trx) => {
      await refuseCrowd(ComparisonModel.query(trx), 'comparisons', this.parts.maxWaiting);
      const sides: ReplayModel[] = [];
      for (const against of [before, after])
        sides.push(await this.#replayFor(trx, await replays.pin(trx, against, options), actor));
      const inserted = await ComparisonModel.query(trx)
        .insert({ beforeId: sides[0]!.id, afterId: sides[1]!.id, state: 'waiting', startedBy: actor.userId })
        .returning('*');
      await recordChange(trx, {
        userId: actor.userId,
        what: 'comparison.start',
        detail: { comparison: inserted.id, log: options.logId, before, after },
      });
      return inserted;
    });
    await queue.addComparison(comparison.id);
    return this.show(comparison.id);
  }

  /** One that was done before, else a new one, which the comparison runs. */
  async #replayFor(trx: Transaction, inputs: ReplayInputs, actor: Actor): Promise<ReplayModel> {
    const done = await this.parts.replays.findSame(trx, inputs);
    return done ?? this.parts.replays.insert(trx, inputs, actor.userId);
  }

  /** The latest first. */
  async list({ offset, limit }: ListQuery): Promise<ComparisonInfo[]> {
    const comparisons = await ComparisonModel.query(this.db)
      .select(WITHOUT_RESULT)
      .orderBy('id', 'desc')
      .offset(offset)
      .limit(limit);
    const replays = await this.parts.replays.showMany(
      comparisons.flatMap((comparison) => [comparison.beforeId, comparison.afterId]),
    );
    return comparisons.map((comparison) =>
      presentComparison(comparison, replays.get(comparison.beforeId)!, replays.get(comparison.afterId)!),
    );
  }

  /** @throws ProblemError when there is no such comparison */
  async show(id: number): Promise<ComparisonInfo> {
    return this.#present(await this.#find(id));
  }

  /** @throws ProblemError when it is not done yet, or has failed */
  async result(id: number): Promise<ComparisonResult> {
    const comparison = await this.#findDone(id);
    const { by, ...tally } = comparison.result!;
    return { ...(await this.#present(comparison)), tally, breakdowns: summarizeBreakdowns(by) };
  }

  /** The requests that change, or those of one group, in the order of the log. */
  async changes(id: number, { offset, limit, group }: ChangesQuery): Promise<ChangePage> {
    const { pages, replays, judges } = this.parts;
    const comparisonModel = await this.#findDone(id);
    const [before, after] = await Promise.all([
      replays.find(comparisonModel.beforeId),
      replays.find(comparisonModel.afterId),
    ]);
    const wanted = group === undefined ? undefined : comparisonModel.result!.groups[group];
    if (group !== undefined && !wanted)
      throw new ProblemError(
        'not-found',
        `Comparison ${id} has no group ${group}; it has ${comparisonModel.result!.groups.length}.`,
      );
    const comparison = await openSides(pages, judges, before, after);
    const context = await judges.judge(after);
    const rulings = await pages.rulings(after.id);
    const isWanted = (pair: number): boolean => {
      if (!wanted) return comparison.isChange(pair);
      const [was, is] = comparison.sidesOf(pair);
      return isSameSide(was, wanted.before) && isSameSide(is, wanted.after);
    };
    const known = new Map<number, boolean>();
    const total = wanted ? wanted.requests : comparisonModel.result!.changed;
    const rows: ChangeRow[] = [];
    let seen = 0;
    for (const chunk of await chunksOf(this.db, after)) {
      if (rows.length === limit || seen === total) break;
      const [was, is] = await Promise.all([pages.codes(before.id, chunk), pages.codes(after.id, chunk)]);
      const page: number[] = [];
      const pairs: number[] = [];
      for (let row = 0; row < is.length && rows.length + page.length < limit; row += 1) {
        const pair = comparison.pairAt(was, is, row);
        if (pair < 0) continue;
        let isIn = known.get(pair);
        if (isIn === undefined) known.set(pair, (isIn = isWanted(pair)));
        if (!isIn) continue;
        seen += 1;
        if (seen <= offset) continue;
        page.push(row);
        pairs.push(pair);
      }
      const read = await pages.readRows(after, context, chunk, rulings, Uint32Array.from(page));
      for (const [
        index,
        { outcome: _o, gate: _g, fence: _f, rule: _r, status: _s, reason: _e, ...row },
      ] of read.entries()) {
        const [one, other] = comparison.sidesOf(pairs[index]!);
        rows.push({ ...row, before: one, after: other });
      }
    }
    return { offset, total, rows };
  }

  /** How far it is, each time that changes, until it is done or failed. */
  async *progress(id: number): AsyncGenerator<ComparisonProgress> {
    let last = '';
    for (;;) {
      const { state, requestsDone, requests, failure } = await this.show(id);
      const progress: ComparisonProgress = { state, requestsDone, requests, failure };
      const text = JSON.stringify(progress);
      if (text !== last) yield progress;
      if (state === 'done' || state === 'failed') return;
      last = text;
      await sleep(PROGRESS_MS);
    }
  }

  async #find(id: number): Promise<ComparisonModel> {
    const comparison = await ComparisonModel.query(this.db).findById(id);
    if (!comparison) throw new ProblemError('not-found', `There is no comparison ${id}.`);
    return comparison;
  }

  async #findDone(id: number): Promise<ComparisonModel> {
    const comparison = await this.#find(id);
    if (comparison.state !== 'done') {
      const hint = comparison.state === 'failed' ? `It failed: ${comparison.failure}` : 'Wait until it is done.';
      throw new ProblemError('replay-not-done', `Comparison ${id} is ${comparison.state}.`, { hint });
    }
    invariant(comparison.result, `comparison ${id} is done without a result`);
    return comparison;
  }

  async #present(comparison: ComparisonModel): Promise<ComparisonInfo> {
    const { beforeId, afterId } = comparison;
    const [before, after] = await Promise.all([this.parts.replays.show(beforeId), this.parts.replays.show(afterId)]);
    return presentComparison(comparison, before, after);
  }
}

function presentComparison(
  { id, state, failure, startedAt }: ComparisonModel,
  before: Replay,
  after: Replay,
): ComparisonInfo {
  return {
    id,
    logId: after.logId,
    logName: after.logName,
    before,
    after,
    state,
    requestsDone: before.requestsDone + after.requestsDone,
    requests: before.requests + after.requests,
    failure,
    startedAt: startedAt.toISOString(),
  };
}

/** Results that were stored before sides had redirects name none. */
function isSameSide(side: Side, stored: Side): boolean {
  return JSON.stringify({ ...side, redirect: stored.redirect && side.redirect }) === JSON.stringify(stored);
}
