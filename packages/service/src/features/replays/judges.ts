import { printFences, joinParts, type Judge } from '@jadefence/core';
import type { Database } from '../../database/database.js';
import type { ReplayModel } from '../../database/models.js';
import { prepareJudge, type JudgeSource } from '../../work/replay-worker.js';
import type { CountryTables } from '../country-table/country-tables.js';
import { DRAFT_PATH, loadSnapshot } from '../draft/snapshots.js';

const MAX_KEPT = 4;

/** What decisions rest on, besides the log. */
export type JudgedBy = Pick<ReplayModel, 'snapshotId' | 'datasetId' | 'gate' | 'people'>;

/** Prepares the judges of replays from their pinned snapshots and datasets, and keeps the latest few. */
export class Judges {
  readonly #kept = new Map<string, Judge>();

  constructor(
    private readonly db: Database,
    private readonly countryTables: CountryTables,
  ) {}

  async source({ snapshotId, datasetId, gate, people }: JudgedBy): Promise<JudgeSource> {
    const { parts, namedFiles } = await loadSnapshot(this.db, snapshotId);
    const csv = datasetId === null ? undefined : await this.countryTables.bytes(datasetId);
    return {
      judgeKey: keyOf({ snapshotId, datasetId, gate, people }),
      fenceFile: { path: DRAFT_PATH, text: printFences(joinParts(parts, DRAFT_PATH)) },
      namedFiles,
      countryCsv: csv && share(csv),
      gate: gate ?? undefined,
      people,
    };
  }

  async judge(replay: JudgedBy): Promise<Judge> {
    const key = keyOf(replay);
    const kept = this.#kept.get(key);
    if (kept) return kept;
    const judge = prepareJudge(await this.source(replay));
    if (this.#kept.size >= MAX_KEPT) this.#kept.delete(this.#kept.keys().next().value!);
    this.#kept.set(key, judge);
    return judge;
  }
}

function keyOf({ snapshotId, datasetId, gate, people }: JudgedBy): string {
  return JSON.stringify([snapshotId, datasetId, gate, people]);
}

/** For threads, which then need no copy each. */
export function share(bytes: Buffer): SharedArrayBuffer {
  const shared = new SharedArrayBuffer(bytes.length);
  new Uint8Array(shared).set(bytes);
  return shared;
}
