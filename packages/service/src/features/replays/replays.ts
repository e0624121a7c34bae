import { setTimeout as sleep } from 'node:timers/promises';
import type { Against, Replay, ReplayProgress, ReplayResult } from '@jadefence/contract';
import { coarsenTimeline, invariant, suggestNearest, summarize, type People } from '@jadefence/core';
import { recordChange } from '../../database/audit.js';
import { inTransaction, type Database } from '../../database/database.js';
import { LogModel, ReplayModel, SnapshotModel } from '../../database/models.js';
import type { Actor } from '../../http/authenticate.js';
import { ProblemError } from '../../http/problem.js';
import type { JobQueue } from '../../work/job-queue.js';
import type { Worlds } from '../reference/worlds.js';
import type { Revisions } from '../revisions/revisions.js';
import type { Logs } from '../logs/logs.js';
import type { Judges } from './judges.js';

const PROGRESS_MS = 250;
const SHOWN_REPLAYS = 100;
const MAX_TIMELINE_STEPS = 96;

/** What is asked of a new replay. */
interface StartReplay {
  readonly logId: number;
  readonly gate?: string;
  /** What is published unless said, or the draft where nothing is. */
  readonly against?: Against;
  readonly people?: People;
}

/** Replays of logs against pinned snapshots of the draft or a revision. */
export class Replays {
  constructor(
    private readonly db: Database,
    private readonly revisions: Revisions,
    private readonly logs: Logs,
    private readonly worlds: Worlds,
    private readonly judges: Judges,
    private readonly queue: JobQueue,
  ) {}

  /** @throws ProblemError when there is no such log or gate, or the draft cannot judge */
  async start({ logId, gate, against, people = 'goes-on' }: StartReplay, actor: Actor): Promise<Replay> {
    const replay = await inTransaction(this.db, async (trx) => {
      const log = await this.logs.find(logId, trx);
      const judgedBy = against ?? (await this.revisions.defaultAgainst(trx));
      const { snapshotId, gates } = await this.revisions.pin(trx, judgedBy);
      const revision = judgedBy === 'draft' ? null : judgedBy;
      if (gate !== undefined && !gates.includes(gate))
        throw new ProblemError('bad-input', `No gate is named "${gate}".`, {
          hint: suggestNearest(gate, gates) ?? `The gates are: ${gates.join(', ')}.`,
        });
      const inserted = await ReplayModel.query(trx)
        .insert({
          logId,
          snapshotId,
          worldHash: await this.worlds.pin(trx),
          gate: gate ?? null,
          revision,
          people,
          state: 'waiting',
          requests: log.requests,
          startedBy: actor.userId,
        })
        .returning('*');
      await recordChange(trx, {
        userId: actor.userId,
        what: 'replay.start',
        detail: { replay: inserted.id, log: logId, gate: gate ?? null, revision, people },
      });
      return inserted;
    });
    await this.queue.addReplay(replay.id);
    return this.#present(replay);
  }

  async list(): Promise<Replay[]> {
    const replays = await ReplayModel.query(this.db).orderBy('id', 'desc').limit(SHOWN_REPLAYS);
    return Promise.all(replays.map((replay) => this.#present(replay)));
  }

  async show(id: number): Promise<Replay> {
    return this.#present(await this.find(id));
  }

  /** @throws ProblemError when there is no such replay */
  async find(id: number): Promise<ReplayModel> {
    const replay = await ReplayModel.query(this.db).findById(id);
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
    invariant(replay.tally, `replay ${id} is done without a tally`);
    const { rulebook } = await this.judges.judge(replay);
    const log = await this.logs.show(replay.logId);
    const tally = { ...replay.tally, rejected: log.rejectedByReason, firstRejected: [...log.firstRejected] };
    return {
      ...(await this.#present(replay)),
      summary: summarize(tally, rulebook),
      timeline: coarsenTimeline(tally.timeline, MAX_TIMELINE_STEPS),
    };
  }

  /** How far the replay is, each time that changes, until it is done or failed. */
  async *progress(id: number): AsyncGenerator<ReplayProgress> {
    let last = '';
    for (;;) {
      const { state, requestsDone, requests, failure } = await this.find(id);
      const progress: ReplayProgress = { state, requestsDone, requests, failure };
      const text = JSON.stringify(progress);
      if (text !== last) yield progress;
      if (state === 'done' || state === 'failed') return;
      last = text;
      await sleep(PROGRESS_MS);
    }
  }

  async #present(replay: ReplayModel): Promise<Replay> {
    const log = await LogModel.query(this.db).findById(replay.logId);
    const snapshot = await SnapshotModel.query(this.db).findById(replay.snapshotId);
    const { country, feeds, countryCorrections, categoryCorrections } = await this.worlds.pinned(replay.worldHash);
    const { id, logId, state, requests, requestsDone, failure, gate, revision, people, startedAt } = replay;
    return {
      id,
      logId,
      logName: log!.name,
      logSha256: log!.sha256,
      snapshot: snapshot!.rootHash,
      countryTable: country && { name: country.name, sha256: country.sha256 },
      categoryFeeds: feeds.map(({ name, sha256 }) => ({ name, sha256 })),
      numCorrections: countryCorrections.length + categoryCorrections.length,
      gate,
      revision,
      people,
      state,
      requests,
      requestsDone,
      failure,
      startedAt: startedAt.toISOString(),
    };
  }
}
