import type {
  AuthoredChange,
  ChangeSelector,
  Draft,
  DraftChanges,
  DraftSteps,
  DraftSources,
  EditResult,
  FenceSources,
  ImportPreview,
} from '@jadefence/contract';
import type { CheckedFences, Rulebook } from '@jadefence/core/check';
import {
  applyEdits,
  applyStep,
  compareConfigurations,
  datasetNamesOf,
  describeChange,
  recordStep,
  type Configuration,
  type Edit,
  type EntryReport,
  type StepDirection,
} from '@jadefence/core/edit';
import type { Change } from '@jadefence/core/language';
import { recordChange } from '../../database/audit.js';
import { batches } from '../../database/batches.js';
import { inTransaction, type Database, type Transaction } from '../../database/database.js';
import { DraftEntryModel, DraftModel, UserModel, type Entry } from '../../database/models.js';
import type { Actor } from '../../http/authenticate.js';
import { ProblemError } from '../../http/problem.js';
import { readSources, assertNoErrors, toProblem, usableRulebook } from './check.js';
import type { CheckedDraft, ExternalData, Published, EditsOf } from './draft-parts.js';
import { presentFences } from './present.js';
import { keepStep, markStep, nextStep, showSteps } from './steps.js';
import {
  checkStored,
  hashEntries,
  loadStored,
  pickEntry,
  pinSnapshot,
  recheckStored,
  storeObjects,
} from './snapshots.js';

const MAIN = 'main';
const FILE = 'list-file';

/** The draft at one moment. */
interface Loaded {
  readonly id: number;
  readonly version: number;
  readonly entries: readonly DraftEntryModel[];
  readonly configuration: Configuration;
}

/**
 * The working copy of the fences. Every write goes through one place, which checks the result, reports a writer what
 * another user changed meanwhile, and writes the audit trail.
 */
export class Drafts {
  constructor(
    private readonly db: Database,
    private readonly published: Published,
    private readonly outside: ExternalData,
  ) {}

  async show(): Promise<Draft> {
    const { version, entries, configuration } = await this.#load(this.db);
    const last = entries.reduce<DraftEntryModel | undefined>(
      (latest, entry) => (latest && latest.changedAt >= entry.changedAt ? latest : entry),
      undefined,
    );
    const published = await this.published.latest(this.db);
    return {
      snapshot: hashEntries(entries),
      version,
      published: published?.number ?? null,
      ...presentFences(await this.#check(this.db, configuration)),
      changedAt: last?.changedAt.toISOString() ?? null,
      changedBy: (await this.#authors(entries)).get(last?.changedBy ?? -1) ?? null,
    };
  }

  /** The draft as text. */
  async sources(db: Database = this.db): Promise<DraftSources> {
    const { version, configuration } = await this.#load(db);
    return { version, parts: configuration.parts, namedFiles: configuration.namedFiles };
  }

  /** The draft with the datasets that its lists name. */
  async configuration(db: Database = this.db): Promise<Configuration & { readonly version: number }> {
    const { version, configuration } = await this.#load(db);
    return { version, ...configuration };
  }

  async #check(db: Database, configuration: Configuration): Promise<CheckedFences> {
    return checkStored(configuration, { categories: await this.outside.categoryNames(db) });
  }

  async #withDatasets(db: Database, configuration: Configuration): Promise<Configuration> {
    return { ...configuration, datasets: await this.outside.forLists(datasetNamesOf(configuration.parts), db) };
  }

  /** What an import would change. @throws ProblemError as the import would */
  async preview(sources: FenceSources, isMerge: boolean): Promise<ImportPreview> {
    const { version, configuration } = await this.#load(this.db);
    const after = await this.#withDatasets(this.db, readSources(sources, isMerge ? configuration : undefined));
    const { diagnostics, warnings } = await this.#check(this.db, after);
    return { version, changes: compareConfigurations(configuration, after), diagnostics, warnings };
  }

  /**
   * Replaces the draft, or with `isMerge` only what the sources name.
   * @param seenVersion the version that the writer has seen
   * @throws ProblemError with every error, or with what changed meanwhile; the draft is then as it was
   */
  async import(sources: FenceSources, isMerge: boolean, seenVersion: number, actor: Actor): Promise<Draft> {
    // Read before the lock is taken, so that errors block no one.
    readSources(sources);
    await inTransaction(this.db, async (trx) => {
      const before = await this.#load(trx, true);
      const after = readSources(sources, isMerge ? before.configuration : undefined);
      await this.#write(trx, before, after, seenVersion, actor, 'draft.import');
    });
    return this.show();
  }

  /** @throws ProblemError if an edit cannot be made, or on a conflict; the draft is then unchanged */
  async edit(edits: readonly Edit[], seenVersion: number, actor: Actor): Promise<EditResult> {
    return inTransaction(this.db, async (trx) => {
      const before = await this.#load(trx, true);
      const { configuration, entries } = toProblem(() => applyEdits(before.configuration, edits));
      const written = await this.#write(trx, before, configuration, seenVersion, actor, 'draft.edit', moversOf(edits));
      return presentEdit(written.version, written.changes, entries, written.checked);
    });
  }

  /** Edits the draft as it is, as a part of something larger. @throws ProblemError if an edit cannot be made */
  async editNow(trx: Transaction, editsOf: EditsOf, actor: Actor): Promise<void> {
    const before = await this.#load(trx, true);
    const { configuration } = toProblem(() => applyEdits(before.configuration, editsOf(before.configuration)));
    await this.#write(trx, before, configuration, before.version, actor, 'draft.edit');
  }

  /** The writes of the actor that can be undone and redone. */
  async steps(actor: Actor): Promise<DraftSteps> {
    const { id } = (await DraftModel.query(this.db).findOne({ name: MAIN }))!;
    return showSteps(this.db, id, actor);
  }

  /** Takes back the actor's latest write, or takes it again. @throws ProblemError where another user changed the same since */
  async takeStep(direction: StepDirection, actor: Actor): Promise<EditResult> {
    return inTransaction(this.db, async (trx) => {
      const before = await this.#load(trx, true);
      const next = await nextStep(trx, before.id, actor, direction);
      const configuration = toProblem(() => applyStep(before.configuration, next.step, direction));
      const written = await this.#write(trx, before, configuration, before.version, actor, `draft.${direction}`);
      await markStep(trx, next.id, direction);
      return presentEdit(written.version, written.changes, [], written.checked);
    });
  }

  /**
   * Makes parts of the draft, or all of it, what is published again.
   * @param only names of changes, see `changes`; absent for all
   */
  async discard(only: readonly ChangeSelector[] | undefined, seenVersion: number, actor: Actor): Promise<EditResult> {
    return inTransaction(this.db, async (trx) => {
      const before = await this.#load(trx, true);
      const published = (await this.published.latest(trx))?.configuration ?? { parts: [], namedFiles: [] };
      const all = compareConfigurations(published, before.configuration);
      const isWanted = (change: Change): boolean =>
        !only || only.some(({ part, name }) => part === change.part && name === change.name);
      const step = recordStep(published, before.configuration, all.filter(isWanted));
      const configuration = toProblem(() => applyStep(before.configuration, step, 'undo'));
      const written = await this.#write(trx, before, configuration, seenVersion, actor, 'draft.discard');
      return presentEdit(written.version, written.changes, [], written.checked);
    });
  }

  /** What edits would do. @throws ProblemError as they would */
  async previewEdits(edits: readonly Edit[]): Promise<EditResult> {
    const { version, configuration: before } = await this.#load(this.db);
    const { configuration, entries } = toProblem(() => applyEdits(before, edits));
    const after = await this.#withDatasets(this.db, configuration);
    const checked = await this.#check(this.db, after);
    assertNoErrors(checked.diagnostics);
    return presentEdit(version, compareConfigurations(before, after, moversOf(edits)), entries, checked);
  }

  /** What differs from what is published, and who changed it. */
  async changes(): Promise<DraftChanges> {
    const { version, entries, configuration } = await this.#load(this.db);
    const published = await this.published.latest(this.db);
    const changes = compareConfigurations(published?.configuration ?? { parts: [], namedFiles: [] }, configuration);
    const authors = await this.#authors(entries);
    const byKey = new Map(entries.map((entry) => [keyOf(entry), entry]));
    return {
      version,
      against: published?.number ?? null,
      changes: changes.map((change): AuthoredChange => {
        const entry = byKey.get(keyOfChange(change));
        return {
          ...describeChange(change),
          ...(entry
            ? { changedBy: authors.get(entry.changedBy ?? -1) ?? null, changedAt: entry.changedAt.toISOString() }
            : {}),
        };
      }),
    };
  }

  /** Who last changed each part, by kind and name. */
  async lastChanges(): Promise<(kind: string, name: string) => { changedBy: string | null; changedAt: string }> {
    const { entries } = await this.#load(this.db);
    const authors = await this.#authors(entries);
    return (kind, name) => {
      const entry = entries.find((draftEntry) => draftEntry.kind === kind && draftEntry.name === name);
      return {
        changedBy: authors.get(entry?.changedBy ?? -1) ?? null,
        changedAt: (entry?.changedAt ?? new Date(0)).toISOString(),
      };
    };
  }

  /** The draft as it is now, checked, what identifies it, and the snapshot that it would be. */
  async checked(): Promise<CheckedDraft> {
    const { entries, configuration } = await this.#load(this.db);
    const datasets = (configuration.datasets ?? []).map(({ name, sha256 }) => [name, sha256]);
    const snapshot = hashEntries(entries);
    const known = { categories: await this.outside.categoryNames(this.db) };
    return {
      key: JSON.stringify([snapshot, datasets]),
      snapshot,
      checked: checkStored(configuration, known),
      recheck: (files) => recheckStored(configuration, known, files),
    };
  }

  /** A judge by the draft as it is now. @throws ProblemError when it cannot judge */
  async rulebook(): Promise<Rulebook> {
    const { configuration } = await this.#load(this.db);
    return usableRulebook(await this.#check(this.db, configuration));
  }

  /** Pins the draft as it is now. @throws ProblemError when it cannot judge */
  async pin(trx: Transaction): Promise<{ snapshotId: number; gates: readonly string[] }> {
    const { entries, configuration } = await this.#load(trx);
    const rulebook = usableRulebook(await this.#check(trx, configuration));
    const datasets = configuration.datasets ?? [];
    const pinned = datasets.length > 0 ? await storeObjects(trx, configuration) : entries.map(pickEntry);
    const snapshot = await pinSnapshot(trx, pinned);
    return { snapshotId: snapshot.id, gates: rulebook.gates.map(({ statement }) => statement.name) };
  }

  /** Pins fences that are not those of the draft. @throws ProblemError when they cannot judge */
  async pinSources(trx: Transaction, sources: FenceSources): Promise<{ snapshotId: number; gates: readonly string[] }> {
    const configuration = await this.#withDatasets(trx, readSources(sources));
    const rulebook = usableRulebook(await this.#check(trx, configuration), 'The folder');
    const { id } = await pinSnapshot(trx, await storeObjects(trx, configuration));
    return { snapshotId: id, gates: rulebook.gates.map(({ statement }) => statement.name) };
  }

  /** @throws ProblemError naming what others changed since `seenVersion` */
  async refuseUnseen(
    trx: Transaction,
    seenVersion: number,
  ): Promise<{ configuration: Configuration; checked: (next: Configuration) => Promise<CheckedFences> }> {
    const loaded = await this.#load(trx, true);
    const unseen = loaded.entries.filter((entry) => entry.version > seenVersion);
    if (loaded.version !== seenVersion) await this.#refuse(unseen, loaded.version, seenVersion);
    return { configuration: loaded.configuration, checked: (next) => this.#check(trx, next) };
  }

  async #load(db: Database, isForUpdate = false): Promise<Loaded> {
    const query = DraftModel.query(db).findOne({ name: MAIN });
    const draft = (await (isForUpdate ? query.forUpdate() : query))!;
    const entries = await DraftEntryModel.query(db).where({ draftId: draft.id }).orderBy('position');
    const { parts, namedFiles } = await loadStored(db, entries);
    const configuration = await this.#withDatasets(db, { parts, namedFiles });
    return { id: draft.id, version: draft.version, entries, configuration };
  }

  /** The one place in which the draft changes. */
  async #write(
    trx: Transaction,
    before: Loaded,
    written: Configuration,
    seenVersion: number,
    actor: Actor,
    what: string,
    movers?: ReadonlySet<string>,
  ): Promise<{ version: number; changes: readonly Change[]; checked: CheckedFences }> {
    const after = await this.#withDatasets(trx, written);
    const checked = await this.#check(trx, after);
    assertNoErrors(checked.diagnostics);
    const changes = compareConfigurations(before.configuration, after, movers).filter(({ part }) => part !== 'dataset');
    const old = new Map(before.entries.map((entry) => [keyOf(entry), entry]));
    const overwritten = changes.flatMap((change) => old.get(keyOfChange(change)) ?? []);
    await this.#refuse(
      overwritten.filter((entry) => entry.version > seenVersion),
      before.version,
      seenVersion,
    );
    if (changes.length === 0) return { version: before.version, changes, checked };
    const version = before.version + 1;
    const changed = new Set(changes.map(keyOfChange));
    // The draft takes whatever dataset is active; only snapshots pin one.
    const entries = (await storeObjects(trx, { ...after, datasets: [] })).map((entry) => {
      const kept = changed.has(keyOf(entry)) ? undefined : old.get(keyOf(entry));
      const { version: at, changedBy, changedAt } = kept ?? { version, changedBy: actor.userId, changedAt: new Date() };
      return { ...entry, draftId: before.id, version: at, changedBy, changedAt };
    });
    await replaceEntries(trx, before, entries, changed);
    await DraftModel.query(trx).patch({ version }).where({ id: before.id });
    await recordChange(trx, { userId: actor.userId, what, detail: { version, changes } });
    // What is undone or redone is a step already.
    if (what !== 'draft.undo' && what !== 'draft.redo')
      await keepStep(trx, before.id, actor, [before.configuration, after], changes);
    return { version, changes, checked };
  }

  /** @throws ProblemError where there is anything that the writer has not seen */
  async #refuse(unseen: readonly DraftEntryModel[], version: number, seenVersion: number): Promise<void> {
    if (unseen.length === 0) return;
    const authors = await this.#authors(unseen);
    const { parts, namedFiles } = await loadStored(this.db, unseen);
    const errors = unseen.map((entry) => {
      const part = parts.find((eachPart) => keyOf(eachPart) === keyOf(entry));
      const text = part?.text.trim() ?? namedFiles.find((file) => file.path === entry.name)?.path ?? entry.name;
      const place = entry.kind === 'rule' ? `rule ${entry.owner}/${entry.name}` : `${entry.kind} ${entry.name}`;
      const author = authors.get(entry.changedBy ?? -1) ?? 'somebody';
      return { place, message: `${author} changed it at ${entry.changedAt.toISOString()}; it is now: ${text}` };
    });
    throw new ProblemError(
      'edit-conflict',
      `The draft is at version ${version}, and you have seen version ${seenVersion}: ${errors.map(({ place }) => place).join(', ')} changed meanwhile. Nothing was written.`,
      { errors, hint: 'Look at the draft again, and make your change on what it is now.' },
    );
  }

  async #authors(entries: readonly DraftEntryModel[]): Promise<Map<number, string>> {
    const ids = [...new Set(entries.flatMap(({ changedBy }) => changedBy ?? []))];
    return new Map((await UserModel.query(this.db).findByIds(ids)).map((user) => [user.id, user.name]));
  }
}

/** The rules and gates that edits move. */
function moversOf(edits: readonly Edit[]): ReadonlySet<string> {
  return new Set(
    edits.flatMap((edit) => {
      if (edit.kind === 'move-gate') return [edit.gate];
      return edit.kind === 'move-rule' ? [`${edit.fence}/${edit.rule}`] : [];
    }),
  );
}

/** Only what changed is written if all positions are unchanged. */
async function replaceEntries(
  trx: Transaction,
  before: Loaded,
  entries: readonly (Entry & { draftId: number; version: number; changedBy: number | null; changedAt: Date })[],
  changed: ReadonlySet<string>,
): Promise<void> {
  const isInPlace =
    entries.length === before.entries.length &&
    entries.every((entry, index) => keyOf(entry) === keyOf(before.entries[index]!));
  if (isInPlace) {
    for (const entry of entries) {
      if (!changed.has(keyOf(entry))) continue;
      const { draftId, kind, owner, name, objectHash, version, changedBy, changedAt } = entry;
      await DraftEntryModel.query(trx)
        .patch({ objectHash, version, changedBy, changedAt })
        .where({ draftId, kind, owner, name });
    }
    return;
  }
  await DraftEntryModel.query(trx).delete().where({ draftId: before.id });
  for (const batch of batches(entries)) await DraftEntryModel.query(trx).insert(batch);
}

function presentEdit(
  version: number,
  changes: readonly Change[],
  entries: readonly EntryReport[],
  { diagnostics, warnings }: CheckedFences,
): EditResult {
  return { version, changes: changes.map(describeChange), entries, diagnostics, warnings };
}

function keyOf({ kind, owner, name }: { kind: string; owner: string; name: string }): string {
  return `${kind} ${owner} ${name}`;
}

function keyOfChange({ part, name }: Change): string {
  if (part === 'file') return `${FILE}  ${name}`;
  const slash = part === 'rule' ? name.indexOf('/') : -1;
  return `${part} ${name.slice(0, Math.max(0, slash))} ${name.slice(slash + 1)}`;
}
