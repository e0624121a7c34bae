import type {
  ReplayPolicy,
  DraftSources,
  ProtectedStop,
  PublishRequest,
  Revision,
  RevisionDiff,
} from '@jadefence/contract';
import type { ListQuery } from '@jadefence/contract/server';
import type { Rulebook } from '@jadefence/core/check';
import {
  applyEdits,
  compareConfigurations,
  describeChange,
  diffTexts,
  type Configuration,
  type Edit,
} from '@jadefence/core/edit';
import { runExpectations, type ExpectationResult } from '@jadefence/core/expectations';
import { findErrors, type Finding } from '@jadefence/core/findings';
import { recordChange } from '../../database/audit.js';
import { inTransaction, type Database, type Transaction } from '../../database/database.js';
import { RevisionModel, SnapshotModel, UserModel } from '../../database/models.js';
import type { Actor } from '../../http/authenticate.js';
import { ProblemError } from '../../http/problem.js';
import { refuseWarnings, takeParts, toProblem, usableRulebook } from '../draft/check.js';
import type { Published } from '../draft/draft-parts.js';
import type { Drafts } from '../draft/draft.js';
import { checkStored, loadSnapshot, pinSnapshot, storeObjects, type DatasetSource } from '../draft/snapshots.js';
import type { ReferenceSnapshots } from '../../reference/reference-snapshots.js';

/** One lock for all who publish, so that numbers have no gaps and no one overwrites what they have not seen. */
const PUBLISH_LOCK = 7_340_002;

const EMPTY: Configuration = { parts: [], namedFiles: [] };

/** Reads revisions; the draft needs no more of them. */
export class PublishedRevisions implements Published {
  constructor(private readonly datasets: DatasetSource) {}

  async latest(db: Database): Promise<{ number: number; configuration: Configuration } | undefined> {
    const latest = await RevisionModel.query(db).orderBy('number', 'desc').first();
    return latest && { number: latest.number, configuration: await loadSnapshot(db, latest.snapshotId, this.datasets) };
  }
}

/** Edits that are published at once. */
export interface PublishedEdits {
  readonly editsOf: (configuration: Configuration) => readonly Edit[];
  readonly note: string;
  readonly what: string;
  readonly detail: Record<string, unknown>;
}

/** What replays by a snapshot stop that is never to be stopped. */
export interface SnapshotStops {
  ofSnapshot(snapshotId: number): Promise<readonly ProtectedStop[]>;
}

/** The immutable numbered states. The latest is the one that is published. */
export class Revisions {
  constructor(
    private readonly db: Database,
    private readonly drafts: Drafts,
    private readonly referenceSnapshots: ReferenceSnapshots,
    private readonly datasets: DatasetSource,
    private readonly protectedStops: SnapshotStops,
  ) {}

  /** The latest first. */
  async list({ offset, limit }: ListQuery): Promise<Revision[]> {
    const revisions = await RevisionModel.query(this.db).orderBy('number', 'desc').offset(offset).limit(limit);
    const latest = await this.latestNumber();
    return Promise.all(revisions.map((revision) => this.#present(revision, latest)));
  }

  async show(number: number): Promise<Revision> {
    return this.#present(await this.find(number), await this.latestNumber());
  }

  /** @throws ProblemError when there is no such revision */
  async find(number: number, db: Database = this.db): Promise<RevisionModel> {
    const revision = await RevisionModel.query(db).findById(number);
    if (!revision)
      throw new ProblemError('not-found', `There is no revision ${number}.`, {
        hint: 'jadefence revision list shows those there are.',
      });
    return revision;
  }

  /** The number of the published revision, or 0. */
  async latestNumber(db: Database = this.db): Promise<number> {
    return (await RevisionModel.query(db).orderBy('number', 'desc').first())?.number ?? 0;
  }

  /** @throws ProblemError when there is no such revision */
  async sources(number: number): Promise<DraftSources> {
    const { parts, namedFiles } = await this.configurationOf(number);
    return { version: number, parts, namedFiles };
  }

  /** The default policy: the latest revision, or the draft if none is published. */
  async defaultAgainst(db: Database = this.db): Promise<ReplayPolicy> {
    return (await this.latestNumber(db)) || 'draft';
  }

  /** @throws ProblemError when there is no such revision, or the draft cannot judge */
  async rulebook(against: ReplayPolicy): Promise<Rulebook> {
    return against === 'draft'
      ? this.drafts.rulebook()
      : usableRulebook(checkStored(await this.configurationOf(against)), `Revision ${against}`);
  }

  /** Pins what is to be judged by. @throws ProblemError when it cannot judge */
  async pin(trx: Transaction, against: ReplayPolicy): Promise<{ snapshotId: number; gates: readonly string[] }> {
    if (against === 'draft') return this.drafts.pin(trx);
    const { snapshotId } = await this.find(against, trx);
    const rulebook = usableRulebook(
      checkStored(await loadSnapshot(trx, snapshotId, this.datasets)),
      `Revision ${against}`,
    );
    return { snapshotId, gates: rulebook.gates.map(({ statement }) => statement.name) };
  }

  /** Whether the draft differs from a revision. */
  async draftDiffers(against: ReplayPolicy): Promise<boolean> {
    if (against === 'draft') return false;
    const [before, draft] = await Promise.all([this.configurationOf(against), this.drafts.configuration()]);
    return compareConfigurations(before, draft).length > 0;
  }

  /** What differs from one to the other, by meaning and as text. */
  async diff(from: ReplayPolicy, to: ReplayPolicy): Promise<RevisionDiff> {
    const [before, after] = await Promise.all([this.configurationOf(from), this.configurationOf(to)]);
    const nameOf = (replayPolicy: ReplayPolicy): string =>
      replayPolicy === 'draft' ? 'draft' : `revision ${replayPolicy}`;
    return {
      from,
      to,
      changes: compareConfigurations(before, after).map(describeChange),
      text: diffAll(before, after, nameOf(from), nameOf(to)),
    };
  }

  /**
   * Makes the draft, or parts of it, the next revision.
   * @throws ProblemError where the draft changed meanwhile, has errors, does not differ, or expectations are not met
   */
  async publish(
    { note, only, isForced = false }: PublishRequest,
    seenVersion: number,
    actor: Actor,
  ): Promise<Revision> {
    const { referenceData: referenceData } = await this.referenceSnapshots.loadCurrent();
    const number = await inTransaction(this.db, async (trx) => {
      await trx.raw('select pg_advisory_xact_lock(?)', [PUBLISH_LOCK]);
      const { configuration: draft, checked } = await this.drafts.refuseUnseen(trx, seenVersion);
      const published = await new PublishedRevisions(this.datasets).latest(trx);
      const base = published?.configuration ?? EMPTY;
      if (only) refuseMissing(only, base, draft);
      const next = only ? takeParts(base, draft, only) : draft;
      const what = only ? 'What would be published' : 'The draft';
      const fences = await checked(next);
      const rulebook = usableRulebook(
        fences,
        what,
        only ? 'Publish what it needs with it: give --only once more.' : 'Fix the errors first; nothing was published.',
      );
      refuseWarnings(fences, what);
      refuseFindings(
        findErrors({
          statements: fences.files.flatMap(({ statements }) => statements),
          rulebook,
          nowUnixMs: Date.now(),
          referenceData,
        }),
      );
      const changes = compareConfigurations(base, next);
      if (published && changes.length === 0)
        throw new ProblemError('nothing-to-publish', `Nothing differs from revision ${published.number}.`);
      const unmet = runExpectations({ rulebook, ...referenceData }).filter(({ isMet }) => !isMet);
      if (unmet.length > 0 && !isForced) throw notMet(unmet);
      const { id } = await pinSnapshot(trx, await storeObjects(trx, next));
      const stopped = await this.protectedStops.ofSnapshot(id);
      if (stopped.length > 0 && !isForced) throw areStopped(stopped);
      return this.#add(
        trx,
        actor,
        { snapshotId: id, note, isForced: unmet.length + stopped.length > 0 },
        'revision.publish',
        {
          only: only ?? null,
          changes,
          unmet: unmet.map(({ text, failure }) => ({ text, failure })),
          protected: stopped.map(({ replayId, list, requests }) => ({ replay: replayId, list, requests })),
        },
      );
    });
    return this.show(number);
  }

  /**
   * Publishes edits of what is published, and nothing else; the draft gets the same.
   * @param change what is done to each of the two, with the note of the revision and what the audit trail keeps
   * @throws ProblemError where nothing is published, an edit cannot be made, or an expectation is not met
   */
  async publishEdits(change: PublishedEdits, isForced: boolean, actor: Actor): Promise<number> {
    const { referenceData } = await this.referenceSnapshots.loadCurrent();
    return inTransaction(this.db, async (trx) => {
      await trx.raw('select pg_advisory_xact_lock(?)', [PUBLISH_LOCK]);
      const published = await new PublishedRevisions(this.datasets).latest(trx);
      if (!published)
        throw new ProblemError('bad-input', 'Nothing is published yet, so no gate judges by anything.', {
          hint: 'Publish the draft first: jadefence publish --note ...',
        });
      const base = published.configuration;
      const next = toProblem(() => applyEdits(base, change.editsOf(base))).configuration;
      const rulebook = usableRulebook(checkStored(next), 'What would be published');
      const unmet = runExpectations({ rulebook, ...referenceData }).filter(({ isMet }) => !isMet);
      const before = usableRulebook(checkStored(base), 'What is published');
      const wasUnmet = new Set(
        runExpectations({ rulebook: before, ...referenceData }).flatMap((one) => (one.isMet ? [] : [one.text])),
      );
      const broken = unmet.filter(({ text }) => !wasUnmet.has(text));
      if (broken.length > 0 && !isForced) throw notMet(broken);
      const { id } = await pinSnapshot(trx, await storeObjects(trx, next));
      await this.drafts.editNow(trx, (draft) => change.editsOf(draft), actor);
      return this.#add(
        trx,
        actor,
        { snapshotId: id, note: change.note, isForced: broken.length > 0 },
        change.what,
        change.detail,
      );
    });
  }

  /** Publishes an older state again, at once and as a new revision; the draft is left alone. */
  async restore(number: number, note: string | undefined, actor: Actor): Promise<Revision> {
    const restored = await inTransaction(this.db, async (trx) => {
      await trx.raw('select pg_advisory_xact_lock(?)', [PUBLISH_LOCK]);
      const { snapshotId } = await this.find(number, trx);
      if ((await this.latestNumber(trx)) === number)
        throw new ProblemError('nothing-to-publish', `Revision ${number} is the one that is published.`);
      return this.#add(
        trx,
        actor,
        { snapshotId, note: note ?? `Restored revision ${number}`, restoredFrom: number },
        'revision.restore',
        { restored: number },
      );
    });
    return this.show(restored);
  }

  async #add(
    trx: Transaction,
    { userId }: Actor,
    fields: Partial<RevisionModel>,
    what: string,
    detail: Record<string, unknown>,
  ): Promise<number> {
    const number = (await this.latestNumber(trx)) + 1;
    await RevisionModel.query(trx).insert({ ...fields, number, publishedBy: userId });
    await recordChange(trx, { userId, what, detail: { revision: number, note: fields.note, ...detail } });
    return number;
  }

  /** @throws ProblemError when there is no such revision */
  async configurationOf(against: ReplayPolicy): Promise<Configuration> {
    if (against === 'draft') return this.drafts.configuration();
    const { snapshotId } = await this.find(against);
    return loadSnapshot(this.db, snapshotId, this.datasets);
  }

  async #present(revision: RevisionModel, latest: number): Promise<Revision> {
    const snapshot = await SnapshotModel.query(this.db).findById(revision.snapshotId);
    const author =
      revision.publishedBy === null ? undefined : await UserModel.query(this.db).findById(revision.publishedBy);
    const { number, note, restoredFrom, isForced, publishedAt } = revision;
    return {
      number,
      note,
      snapshot: snapshot!.rootHash,
      restoredFrom,
      isForced,
      publishedBy: author?.name ?? null,
      publishedAt: publishedAt.toISOString(),
      isPublished: number === latest,
    };
  }
}

/** The fences, then every file that differs. */
function diffAll(before: Configuration, after: Configuration, from: string, to: string): string {
  const textOf = ({ namedFiles }: Configuration, path: string): string =>
    namedFiles.find((file) => file.path === path)?.text ?? '';
  const paths = [...new Set([...before.namedFiles, ...after.namedFiles].map(({ path }) => path))].sort();
  return [
    diffTexts(checkStored(before).text, checkStored(after).text, from, to),
    ...paths.map((path) => diffTexts(textOf(before, path), textOf(after, path), `${from} ${path}`, `${to} ${path}`)),
  ].join('');
}

function refuseMissing(only: NonNullable<PublishRequest['only']>, base: Configuration, draft: Configuration): void {
  for (const { part, name } of only) {
    const isThere = [...base.parts, ...draft.parts].some((item) => item.kind === part && item.name === name);
    if (!isThere)
      throw new ProblemError('unknown-part', `Neither the draft nor what is published has a ${part} "${name}".`);
  }
}

/** @throws ProblemError with every error of a review */
function refuseFindings(errors: readonly Finding[]): void {
  if (errors.length === 0) return;
  const count = errors.length === 1 ? 'an error' : `${errors.length} errors`;
  throw new ProblemError('review-errors', `The review finds ${count}, so nothing was published.`, {
    errors: errors.map(({ id, place, message, hint }) => ({
      place: `${place.file}:${place.line}`,
      message: `${message} ${hint} [${id}]`,
    })),
    hint: 'Fix the rules, or expect a finding in a comment above the rule: # review: ignore ID because ...',
  });
}

function areStopped(stopped: readonly ProtectedStop[]): ProblemError {
  return new ProblemError('protected-stopped', 'Replays stop protected clients, so nothing was published.', {
    errors: stopped.map(({ replayId, list, requests, rows }) => ({
      place: `replay ${replayId}`,
      message: `${requests.toLocaleString('en')} ${requests === 1 ? 'request' : 'requests'} of the list ${list}, the first by ${rows[0]!.fence}/${rows[0]!.rule ?? 'otherwise'}.`,
    })),
    hint: 'Let them pass and replay again, or force it, which the audit trail records.',
  });
}

function notMet(unmet: readonly ExpectationResult[]): ProblemError {
  const count = `${unmet.length} ${unmet.length === 1 ? 'expectation is' : 'expectations are'}`;
  return new ProblemError('expectations-not-met', `${count} not met, so nothing was published.`, {
    errors: unmet.map(({ file, line, sentence, failure }) => ({
      place: `${file}:${line}`,
      message: `${sentence} ${failure}`,
    })),
    hint: 'Fix the rules or the expectations, or force it, which the audit trail records.',
  });
}
