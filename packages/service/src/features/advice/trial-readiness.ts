import type { FenceReadiness, ReadinessQuery, TrialReplay } from '@jadefence/contract';
import { joinParts, listMentions, type Statement } from '@jadefence/core/language';
import { suggestNearest } from '@jadefence/core/text';
import { assessReadiness, countTrial, isOnTrial, type TrialCounter } from '@jadefence/core/traffic';
import type { Configuration } from '@jadefence/core/edit';
import type { Database } from '../../database/database.js';
import { ReplayModel, type Entry } from '../../database/models.js';
import { ProblemError } from '../../http/problem.js';
import type { Drafts } from '../draft/draft.js';
import { DRAFT_PATH, entriesNamed, hashObject } from '../draft/snapshots.js';
import type { Logs } from '../logs/logs.js';
import type { ContextStore } from '../replays/context-store.js';
import type { DecisionPages } from '../replays/decision-pages.js';
import type { Replays } from '../replays/replays.js';
import { StoredDecisions } from '../replays/stored-decisions.js';

/** So many replays are looked at for those of a fence as it is now, and at most so many of them are added up. */
const LOOKED_AT = 100;
const ADDED_UP = 14;

interface Parts {
  readonly drafts: Drafts;
  readonly replays: Replays;
  readonly pages: DecisionPages;
  readonly judges: ContextStore;
  readonly logs: Logs;
}

/** Whether a fence that is in trial is ready to be enforced, from replays that are done. */
export class TrialReadiness {
  constructor(
    private readonly db: Database,
    private readonly parts: Parts,
  ) {}

  /** @throws ProblemError where the draft has no such fence, or a replay is not done or has not the fence */
  async of(name: string, { replays: wanted }: ReadinessQuery, signal?: AbortSignal): Promise<FenceReadiness> {
    const rulebook = await this.parts.drafts.rulebook();
    const fence = rulebook.fences.find((one) => one.name === name);
    if (!fence) {
      const names = rulebook.fences.map((one) => one.name);
      throw new ProblemError('not-found', `The draft has no fence "${name}".`, {
        hint: suggestNearest(name, names) ?? `The fences are: ${names.join(', ')}.`,
      });
    }
    if (!isOnTrial(fence)) return { ...assessReadiness(fence, rulebook, []), replays: [], numEarlier: 0 };
    const { chosen, numEarlier } = wanted
      ? { chosen: await Promise.all(wanted.map((id) => this.parts.replays.findDone(id))), numEarlier: 0 }
      : await this.#latest(name);
    const counters: TrialCounter[] = [];
    const added: TrialReplay[] = [];
    for (const replay of chosen) {
      const counter = await this.#count(replay, name, signal);
      const { requests, newlyStopped } = counter.totals;
      if (requests === 0) continue;
      counters.push(counter);
      const { logName } = await this.parts.replays.present(replay);
      const { id, name: replayName, logId } = replay;
      added.push({ id, name: replayName, logId, logName, requests, newlyStopped });
    }
    return { ...assessReadiness(fence, rulebook, counters), replays: added, numEarlier };
  }

  async #count(replay: ReplayModel, name: string, signal: AbortSignal | undefined): Promise<TrialCounter> {
    const decided = await StoredDecisions.of(this.db, this.parts, replay, signal);
    if (!decided.context.rulebook.fences.some((fence) => fence.name === name))
      throw new ProblemError('not-found', `The rules of replay ${replay.id} have no fence "${name}".`, {
        hint: 'Replay the log by the draft, and try again.',
      });
    return countTrial(decided, name);
  }

  /** Of each log the latest replay by the fence, and what it names, as the draft has them. */
  async #latest(name: string): Promise<{ readonly chosen: readonly ReplayModel[]; readonly numEarlier: number }> {
    const configuration = await this.parts.drafts.configuration();
    const names = namesOf(configuration, name);
    const wanted = fingerprint(
      configuration.parts
        .filter((part) => names.includes(part.name) || names.includes(part.owner))
        .map(({ kind, owner, name: partName, text }) => ({
          kind,
          owner,
          name: partName,
          hash: hashObject(kind, text),
        })),
    );
    const replays = await ReplayModel.query(this.db)
      .select('id', 'logId', 'snapshotId')
      .where({ state: 'done' })
      .whereNull('folder')
      .orderBy('id', 'desc')
      .limit(LOOKED_AT);
    const isSame = new Map<number, boolean>();
    const logs = new Set<number>();
    const chosen: ReplayModel[] = [];
    let numEarlier = 0;
    for (const { id, logId, snapshotId } of replays) {
      if (logs.has(logId) || chosen.length === ADDED_UP) continue;
      let same = isSame.get(snapshotId);
      if (same === undefined) {
        const entries = await entriesNamed(this.db, snapshotId, names);
        isSame.set(snapshotId, (same = fingerprint(entries.filter(isPart).map(withHash)) === wanted));
      }
      if (!same) {
        numEarlier += 1;
        continue;
      }
      logs.add(logId);
      chosen.push(await this.parts.replays.findDone(id));
    }
    return { chosen, numEarlier };
  }
}

/** The fence, and what it names, through all that that names. */
function namesOf(configuration: Configuration, fence: string): string[] {
  const { statements } = joinParts(configuration.parts, DRAFT_PATH);
  const found = new Set<string>();
  const add = (statement: Statement): void => {
    for (const { name } of listMentions(statement)) {
      if (found.has(name)) continue;
      found.add(name);
      for (const other of statements) if ('name' in other && other.name === name && other.kind !== 'fence') add(other);
    }
  };
  for (const statement of statements) if (statement.kind === 'fence' && statement.name === fence) add(statement);
  const isKept = (name: string): boolean =>
    statements.some((statement) => statement.kind !== 'fence' && 'name' in statement && statement.name === name);
  return [fence, ...[...found].filter(isKept)];
}

interface Named {
  readonly kind: string;
  readonly owner: string;
  readonly name: string;
  readonly hash: string;
}

const withHash = ({ kind, owner, name, objectHash }: Entry): Named => ({ kind, owner, name, hash: objectHash });

/** Entries of a snapshot that are texts of the language. */
function isPart({ kind }: Entry): boolean {
  return kind !== 'list-file' && kind !== 'dataset';
}

/** The same for the same parts; rules in their order. */
function fingerprint(parts: readonly Named[]): string {
  return JSON.stringify(parts.map(({ kind, owner, name, hash }) => [kind, owner, name, hash]));
}
