import type { Draft, DraftFence, DraftSources, FenceSources, ImportPreview } from '@jadefence/contract';
import {
  checkFences,
  compareParts,
  describeEnding,
  describeRule,
  formatDiagnostic,
  mergeParts,
  printRule,
  printValue,
  splitIntoParts,
  type CheckedFences,
  type Diagnostic,
  type DiagnosticCode,
  type FenceStatement,
  type ListSizes,
  type ListStatement,
  type Rulebook,
  type Statement,
} from '@jadefence/core';
import { recordChange } from '../../database/audit.js';
import { inTransaction, type Database, type Transaction } from '../../database/database.js';
import { DraftEntryModel, DraftModel, UserModel, type Entry } from '../../database/models.js';
import type { Actor } from '../../http/authenticate.js';
import { ProblemError } from '../../http/problem.js';
import {
  batches,
  checkStored,
  hashEntries,
  loadStored,
  pickEntry,
  pinSnapshot,
  storeObjects,
  type StoredFences,
} from './snapshots.js';

/** A name that stands for nothing may stay in a draft until it is mended; everything else keeps an import out. */
const ALLOWED_IN_DRAFT: readonly DiagnosticCode[] = ['unknown-name'];
const MAIN = 'main';

/** The working copy of the fences. */
export class Drafts {
  constructor(private readonly db: Database) {}

  async show(): Promise<Draft> {
    const entries = await this.#entries(this.db);
    const checked = checkStored(await loadStored(this.db, entries));
    const last = entries.reduce<DraftEntryModel | undefined>(
      (latest, entry) => (latest && latest.changedAt >= entry.changedAt ? latest : entry),
      undefined,
    );
    const author = last?.changedBy == null ? undefined : await UserModel.query(this.db).findById(last.changedBy);
    return {
      snapshot: hashEntries(entries),
      ...presentFences(checked),
      changedAt: last?.changedAt.toISOString() ?? null,
      changedBy: author?.name ?? null,
    };
  }

  /** The draft as text. */
  async sources(): Promise<DraftSources> {
    return loadStored(this.db, await this.#entries(this.db));
  }

  /** What an import would change. @throws ProblemError as the import would */
  async preview(sources: FenceSources, isMerge: boolean): Promise<ImportPreview> {
    const before = await this.sources();
    const after = readSources(sources, isMerge ? before : undefined);
    return { changes: compareParts(before.parts, after.parts), diagnostics: checkStored(after).diagnostics };
  }

  /**
   * Replaces the draft, or with `isMerge` only what the sources name.
   * @throws ProblemError with every error, and nothing changed, when the files cannot be read as fences
   */
  async import(sources: FenceSources, isMerge: boolean, actor: Actor): Promise<Draft> {
    // Read before the lock is taken, so that errors cost nobody a wait.
    readSources(sources);
    await inTransaction(this.db, async (trx) => {
      const draft = await this.#main(trx).forUpdate();
      const before = await this.#entries(trx);
      const entries = await storeObjects(
        trx,
        readSources(sources, isMerge ? await loadStored(trx, before) : undefined),
      );
      await DraftEntryModel.query(trx).delete().where({ draftId: draft!.id });
      for (const batch of batches(entries))
        await DraftEntryModel.query(trx).insert(
          batch.map((entry) => ({ ...entry, draftId: draft!.id, changedBy: actor.userId })),
        );
      await recordChange(trx, {
        userId: actor.userId,
        what: 'draft.import',
        detail: { before: hashEntries(before), after: hashEntries(entries), isMerge },
      });
    });
    return this.show();
  }

  /** A judge by the draft as it is now. @throws ProblemError when it cannot judge */
  async rulebook(): Promise<Rulebook> {
    return usableRulebook(checkStored(await this.sources()));
  }

  /** Pins the draft as it is now. @throws ProblemError when it cannot judge */
  async pin(trx: Transaction): Promise<{ snapshotId: number; gates: readonly string[] }> {
    const entries = await this.#entries(trx);
    const rulebook = usableRulebook(checkStored(await loadStored(trx, entries)));
    const snapshot = await pinSnapshot(trx, entries.map(pickEntry));
    return { snapshotId: snapshot.id, gates: rulebook.gates.map(({ statement }) => statement.name) };
  }

  #main(db: Database) {
    return DraftModel.query(db).findOne({ name: MAIN });
  }

  async #entries(db: Database): Promise<(DraftEntryModel & Entry)[]> {
    const draft = await this.#main(db);
    return DraftEntryModel.query(db).where({ draftId: draft!.id }).orderBy('position');
  }
}

/**
 * Reads sources into what a draft stores.
 * @param base where given, what the sources do not name stays as it is there
 * @throws ProblemError with every error
 */
function readSources(sources: FenceSources, base?: StoredFences): StoredFences {
  const { files, diagnostics } = checkFences(sources.fenceFiles, sources.namedFiles);
  const errors = diagnostics.filter(({ code }) => !ALLOWED_IN_DRAFT.includes(code));
  if (errors.length > 0) throw badFences(errors);
  const parts = splitIntoParts(files);
  if (!base) return { parts, namedFiles: sources.namedFiles };
  const namedFiles = new Map([...base.namedFiles, ...sources.namedFiles].map((file) => [file.path, file]));
  return { parts: mergeParts(base.parts, parts), namedFiles: [...namedFiles.values()] };
}

function usableRulebook({ rulebook, diagnostics }: CheckedFences): Rulebook {
  if (!rulebook) {
    const errors = diagnostics.map((diagnostic) => ({
      place: placeOf(diagnostic),
      message: formatDiagnostic(diagnostic),
    }));
    throw new ProblemError('draft-not-usable', 'The draft has errors and cannot judge.', {
      errors,
      hint: 'Mend the fences and import them again.',
    });
  }
  if (rulebook.gates.length === 0)
    throw new ProblemError('draft-not-usable', 'The draft has no gate, so no request would be judged.', {
      hint: 'Import fences with jadefence fence import PATH.',
    });
  return rulebook;
}

function badFences(errors: readonly Diagnostic[]): ProblemError {
  const count = `${errors.length} ${errors.length === 1 ? 'error' : 'errors'}`;
  return new ProblemError('bad-fences', `The fences have ${count}; the draft is as it was.`, {
    errors: errors.map(({ place, message, hint, code }) => ({
      place: `${place.file}:${place.line}:${place.column}`,
      message: `${message}${hint ? ` ${hint}` : ''} [${code}]`,
    })),
  });
}

function placeOf({ place }: Diagnostic): string {
  return `${place.file}:${place.line}:${place.column}`;
}

function presentFences({
  files,
  diagnostics,
  rulebook,
}: CheckedFences): Pick<Draft, 'gates' | 'fences' | 'lists' | 'diagnostics'> {
  const statements = files.flatMap((file) => file.statements);
  const sizes: ListSizes = rulebook?.lists ?? new Map();
  const gates = ofKind(statements, 'gate').map(({ name, direction, hosts, fences, otherwise }) => ({
    name,
    direction,
    hosts: hosts.map((value) => printValue(value)),
    fences: fences.map((fence) => fence.name),
    otherwise: describeEnding(otherwise),
  }));
  return {
    gates,
    fences: ofKind(statements, 'fence').map((fence) => presentFence(fence, gates, sizes)),
    lists: ofKind(statements, 'list').map((list: ListStatement) => ({
      name: list.name,
      kind: list.listKind,
      title: list.title,
      numEntries: sizes.get(list.name)?.numEntries,
    })),
    diagnostics,
  };
}

function presentFence(
  fence: FenceStatement,
  gates: readonly { name: string; fences: readonly string[] }[],
  sizes: ListSizes,
): DraftFence {
  return {
    name: fence.name,
    title: fence.title,
    mode: fence.mode,
    gates: gates.filter((gate) => gate.fences.includes(fence.name)).map((gate) => gate.name),
    rules: fence.rules.map((rule) => ({
      name: rule.name,
      title: rule.title,
      state: rule.state,
      sentence: describeRule(rule, sizes),
      text: printRule(rule).replace(/^ {2}/gm, ''),
    })),
    otherwise: describeEnding(fence.otherwise),
  };
}

function ofKind<K extends Statement['kind']>(
  statements: readonly Statement[],
  kind: K,
): Extract<Statement, { kind: K }>[] {
  return statements.filter((statement): statement is Extract<Statement, { kind: K }> => statement.kind === kind);
}
