import { setTimeout as sleep } from 'node:timers/promises';
import type { ReplayPolicy, Replay, ReplayProgress, ReplayResult, ReplayRequest } from '@jadefence/contract';
import type { ListQuery } from '@jadefence/contract/server';
import { suggestNearest } from '@jadefence/core/text';
import { coarsenTimeline, summarize } from '@jadefence/core/replay';
import { invariant } from '@jadefence/core/request';
import { recordChange } from '../../database/audit.js';
import { inTransaction, type Database, type Transaction } from '../../database/database.js';
import { ComparisonModel, LogModel, ReplayModel, SnapshotModel } from '../../database/models.js';
import type { Actor } from '../../http/authenticate.js';
import { ProblemError } from '../../http/problem.js';
import type { JobAdder } from '../../jobs/job-queue.js';
import type { Drafts } from '../draft/draft.js';
import { refuseCrowd } from '../../admission.js';
import { Recent } from '../../recent-cache.js';
import type { ReferencePin, ReferenceSnapshots } from '../../reference/reference-snapshots.js';
import type { Revisions } from '../revisions/revisions.js';
import type { Logs } from '../logs/logs.js';
import type { ContextStore } from './context-store.js';

const PROGRESS_MS = 250;
const MAX_TIMELINE_STEPS = 96;
/** All that is known of a replay but its tally. */
const WITHOUT_TALLY = [
  'id',
  'logId',
  'snapshotId',
  'referenceHash',
  'gate',
  'revision',
  'held',
  'fromMs',
  'toMs',
  'folder',
  'name',
  'state',
  'requests',
  'requestsDone',
  'failure',
  'partial',
  'startedBy',
  'startedAt',
] as const satisfies readonly (keyof ReplayModel)[];
/** How far each rule of one that runs has come is for who looks at that one. */
const LISTED = WITHOUT_TALLY.filter((column) => column !== 'partial');
/** Results stay as they are once a replay is done; with thousands of rules they take seconds to describe. */
const KEPT_RESULTS = 8;

/** What a replay depends on. */
export type ReplayInputs = Pick<
  ReplayModel,
  'logId' | 'requests' | 'snapshotId' | 'referenceHash' | 'gate' | 'revision' | 'held' | 'folder' | 'fromMs' | 'toMs'
>;
type ReplayOptions = Omit<ReplayRequest, 'against' | 'fences' | 'folder' | 'name'>;

/** Replays of logs against pinned snapshots of the draft or a revision. */
export class Replays {
  readonly #results = new Recent<Pick<ReplayResult, 'summary' | 'timeline'>>(KEPT_RESULTS);

  constructor(
    private readonly db: Database,
    private readonly drafts: Drafts,
    private readonly revisions: Revisions,
    private readonly logs: Logs,
    private readonly referenceSnapshots: ReferenceSnapshots,
    private readonly judges: ContextStore,
    private readonly queue: JobAdder,
    /** How many may wait. */
    private readonly maxWaiting: number,
  ) {}

  /** @throws ProblemError when there is no such log or gate, or what is to judge cannot */
  async start(options: ReplayRequest, actor: Actor): Promise<Replay> {
    const replay = await inTransaction(this.db, async (trx) => {
      await refuseCrowd(ReplayModel.query(trx), 'replays', this.maxWaiting);
      const { name = null, ...inputs } = options;
      const inserted = await this.insert(trx, await this.#pin(trx, inputs), actor.userId, name);
      const { id, logId, gate, revision, held, folder, fromMs, toMs } = inserted;
      await recordChange(trx, {
        userId: actor.userId,
        what: 'replay.start',
        detail: { replay: id, name, log: logId, gate, revision, held, folder, fromMs, toMs },
      });
      return inserted;
    });
    await this.queue.addReplay(replay.id);
    return this.present(replay);
  }

  async #pin(
    trx: Transaction,
    { fences, folder, against, ...options }: Omit<ReplayRequest, 'name'>,
  ): Promise<ReplayInputs> {
    if (!fences) return this.pin(trx, against ?? (await this.revisions.defaultAgainst(trx)), options);
    if (against !== undefined)
      throw new ProblemError('bad-input', 'Fences are given, and "against" names others.', {
        hint: 'Leave one of the two out.',
      });
    const { snapshotId, gates } = await this.drafts.pinSources(trx, fences);
    return { ...(await this.#inputs(trx, snapshotId, gates, options)), folder: folder ?? 'fences', revision: null };
  }

  /** What a replay depends on. @throws ProblemError when there is no such log or gate, or what is to judge cannot */
  async pin(trx: Transaction, against: ReplayPolicy, options: ReplayOptions): Promise<ReplayInputs> {
    const { snapshotId, gates } = await this.revisions.pin(trx, against);
    const revision = against === 'draft' ? null : against;
    return { ...(await this.#inputs(trx, snapshotId, gates, options)), folder: null, revision };
  }

  async #inputs(
    trx: Transaction,
    snapshotId: number,
    gates: readonly string[],
    { logId, gate, held = 'continue', fromUnixMs, toUnixMs }: ReplayOptions,
  ): Promise<Omit<ReplayInputs, 'folder' | 'revision'>> {
    const log = await this.logs.find(logId, trx);
    if (gate !== undefined && !gates.includes(gate))
      throw new ProblemError('bad-input', `No gate is named "${gate}".`, {
        hint: suggestNearest(gate, gates) ?? `The gates are: ${gates.join(', ')}.`,
      });
    if (fromUnixMs !== undefined && toUnixMs !== undefined && fromUnixMs >= toUnixMs)
      throw new ProblemError('bad-input', 'The end of the time range is before its start.');
    return {
      logId: log.id,
      requests: log.requests,
      snapshotId,
      referenceHash: await this.referenceSnapshots.pin(trx),
      gate: gate ?? null,
      held,
      fromMs: fromUnixMs ?? null,
      toMs: toUnixMs ?? null,
    };
  }

  /** A replay that depends on the same under the same name, and is done. */
  async findSame(trx: Transaction, { requests: _, ...inputs }: ReplayInputs): Promise<ReplayModel | undefined> {
    const query = ReplayModel.query(trx).where({ state: 'done' });
    for (const [column, value] of Object.entries(inputs)) {
      if (value === null) query.whereNull(column);
      else query.where({ [column]: value });
    }
    return query.orderBy('id', 'desc').first();
  }

  async insert(
    trx: Transaction,
    inputs: ReplayInputs,
    userId: number | null,
    name: string | null = null,
  ): Promise<ReplayModel> {
    return ReplayModel.query(trx)
      .insert({ ...inputs, name, state: 'waiting', startedBy: userId })
      .returning('*');
  }

  /** Cancels a replay; it keeps nothing. @throws ProblemError if it has ended */
  async cancel(id: number, actor: Actor): Promise<Replay> {
    const { state } = await this.find(id);
    await inTransaction(this.db, async (trx) => {
      const cancelled = await ReplayModel.query(trx)
        .patch({ state: 'cancelled' })
        .where({ id })
        .whereIn('state', ['waiting', 'running']);
      if (cancelled === 0) throw new ProblemError('replay-already-finished', `Replay ${id} is ${state} already.`);
      await recordChange(trx, { userId: actor.userId, what: 'replay.cancel', detail: { replay: id } });
    });
    return this.show(id);
  }

  /** @param name empty takes the name away */
  async rename(id: number, name: string, actor: Actor): Promise<Replay> {
    await this.find(id);
    await inTransaction(this.db, async (trx) => {
      await ReplayModel.query(trx)
        .patch({ name: name === '' ? null : name })
        .where({ id });
      await recordChange(trx, { userId: actor.userId, what: 'replay.rename', detail: { replay: id, name } });
    });
    return this.show(id);
  }

  /** @throws ProblemError while it runs, and where comparisons show it unless they are to be deleted with it */
  async delete(id: number, isForced: boolean, actor: Actor): Promise<void> {
    await inTransaction(this.db, async (trx) => {
      const replay = await this.find(id);
      if (replay.state === 'waiting' || replay.state === 'running')
        throw new ProblemError('replay-in-use', `Replay ${id} is ${replay.state}.`, { hint: 'Cancel it first.' });
      const found = await ComparisonModel.query(trx)
        .select('id')
        .where({ beforeId: id })
        .orWhere({ afterId: id })
        .orderBy('id');
      const comparisons = found.map((comparison) => comparison.id);
      if (comparisons.length > 0 && !isForced)
        throw new ProblemError(
          'replay-in-use',
          `Replay ${id} is part of ${comparisons.length === 1 ? 'comparison' : 'comparisons'} ${comparisons.join(', ')}, which would be deleted with it.`,
          { hint: 'Delete it with --force if that is what you want.' },
        );
      await ReplayModel.query(trx).deleteById(id);
      await recordChange(trx, { userId: actor.userId, what: 'replay.delete', detail: { replay: id, comparisons } });
    });
  }

  /** The latest first. */
  async list({ offset, limit }: ListQuery): Promise<Replay[]> {
    return this.#presentAll(
      await ReplayModel.query(this.db).select(LISTED).orderBy('id', 'desc').offset(offset).limit(limit),
    );
  }

  async show(id: number): Promise<Replay> {
    return this.present(await this.find(id));
  }

  /** Several, by their numbers; those that are not there are left out. */
  async showMany(ids: readonly number[]): Promise<Map<number, Replay>> {
    const replays = await this.#presentAll(
      await ReplayModel.query(this.db)
        .select(LISTED)
        .findByIds([...new Set(ids)]),
    );
    return new Map(replays.map((replay) => [replay.id, replay]));
  }

  /** Without its tally, which may be long. @throws ProblemError when there is no such replay */
  async find(id: number): Promise<ReplayModel> {
    const replay = await ReplayModel.query(this.db).select(WITHOUT_TALLY).findById(id);
    if (!replay) throw new ProblemError('not-found', `There is no replay ${id}.`);
    return replay;
  }

  /** @throws ProblemError when it is not done yet, or has failed */
  async findDone(id: number): Promise<ReplayModel> {
    const replay = await this.find(id);
    if (replay.state === 'done') return replay;
    const hint = replay.state === 'failed' ? `It failed: ${replay.failure}` : 'Wait until it is done.';
    throw new ProblemError(
      'replay-not-done',
      `Replay ${id} is ${replay.state}: ${replay.requestsDone} of ${replay.requests} requests.`,
      { hint },
    );
  }

  async result(id: number): Promise<ReplayResult> {
    const replay = await this.findDone(id);
    return { ...(await this.present(replay)), ...(await this.#results.get(`${id}`, () => this.#describe(replay))) };
  }

  async #describe(replay: ReplayModel): Promise<Pick<ReplayResult, 'summary' | 'timeline'>> {
    const counted = (await ReplayModel.query(this.db).select('tally').findById(replay.id))?.tally;
    invariant(counted, `replay ${replay.id} is done without a tally`);
    const { rulebook } = await this.judges.judge(replay);
    const log = await this.logs.show(replay.logId);
    const tally = { ...counted, rejected: log.rejectedByReason, firstRejected: [...log.firstRejected] };
    return { summary: summarize(tally, rulebook), timeline: coarsenTimeline(tally.timeline, MAX_TIMELINE_STEPS) };
  }

  /** How far the replay is, each time that changes, until it is done or failed. */
  async *progress(id: number): AsyncGenerator<ReplayProgress> {
    let last = '';
    for (;;) {
      const { state, requestsDone, requests, failure, partial } = await this.find(id);
      const progress: ReplayProgress = { state, requestsDone, requests, failure, partial };
      const text = JSON.stringify(progress);
      if (text !== last) yield progress;
      if (state !== 'waiting' && state !== 'running') return;
      last = text;
      await sleep(PROGRESS_MS);
    }
  }

  async present(replay: ReplayModel): Promise<Replay> {
    return (await this.#presentAll([replay]))[0]!;
  }

  /** What they depend on is requested together. */
  async #presentAll(replays: readonly ReplayModel[]): Promise<Replay[]> {
    const idsOf = <T>(idOf: (replay: ReplayModel) => T): T[] => [...new Set(replays.map(idOf))];
    const [logs, snapshots, referenceSnapshots] = await Promise.all([
      LogModel.query(this.db)
        .select('id', 'name', 'sha256')
        .findByIds(idsOf(({ logId }) => logId)),
      SnapshotModel.query(this.db).findByIds(idsOf(({ snapshotId }) => snapshotId)),
      Promise.all(
        idsOf(({ referenceHash }) => referenceHash).map(
          async (hash) => [hash, await this.referenceSnapshots.pinned(hash)] as const,
        ),
      ),
    ]);
    const rest = {
      logs: new Map(logs.map((log) => [log.id, log])),
      snapshots: new Map(snapshots.map((snapshot) => [snapshot.id, snapshot])),
      referenceSnapshots: new Map(referenceSnapshots),
    };
    return replays.map((replay) =>
      presentReplay(
        replay,
        rest.logs.get(replay.logId)!,
        rest.snapshots.get(replay.snapshotId)!,
        rest.referenceSnapshots.get(replay.referenceHash)!,
      ),
    );
  }
}

function presentReplay(
  replay: ReplayModel,
  log: Pick<LogModel, 'name' | 'sha256'>,
  snapshot: SnapshotModel,
  { country, feeds, countryCorrections, categoryCorrections }: ReferencePin,
): Replay {
  const { id, logId, state, requests, requestsDone, failure, gate, revision, held, startedAt } = replay;
  const { folder, name, fromMs, toMs, partial } = replay;
  return {
    id,
    name,
    logId,
    logName: log.name,
    logSha256: log.sha256,
    snapshot: snapshot.rootHash,
    countryTable: country && { name: country.name, sha256: country.sha256 },
    categoryFeeds: feeds.map(({ name, sha256 }) => ({ name, sha256 })),
    numCorrections: countryCorrections.length + categoryCorrections.length,
    gate,
    revision,
    folder,
    held,
    fromUnixMs: fromMs,
    toUnixMs: toMs,
    state,
    requests,
    requestsDone,
    failure,
    partial: partial ?? null,
    startedAt: startedAt.toISOString(),
  };
}
