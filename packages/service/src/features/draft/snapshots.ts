import { batches } from '../../database/batches.js';
import { createHash } from 'node:crypto';
import { checkFences, checkTree, type CheckedFences } from '@jadefence/core/check';
import type { Configuration } from '@jadefence/core/edit';
import { LRUCache } from 'lru-cache';
import { joinParts, printFences, type FenceFile, type PartKind } from '@jadefence/core/language';
import type { Dataset } from '@jadefence/core/reference';
import type { Database, Transaction } from '../../database/database.js';
import { ObjectModel, SnapshotEntryModel, SnapshotModel, type Entry } from '../../database/models.js';

/** A file that a list or page is kept in; the word is older than pages. */
const LIST_FILE = 'list-file';
/** A pin of the entries of a list. */
const DATASET = 'dataset';
/** The file name that places in a stored configuration carry. */
export const DRAFT_PATH = 'draft.fence';

/** Stores the texts, each once, and returns their positions. */
export async function storeObjects(
  trx: Transaction,
  { parts, namedFiles, datasets = [] }: Configuration,
): Promise<Entry[]> {
  const all = [
    ...parts,
    ...namedFiles.map((file) => ({ kind: LIST_FILE, owner: '', name: file.path, text: file.text })),
    ...datasets.map(({ name, sha256 }) => ({ kind: DATASET, owner: '', name, text: sha256 })),
  ];
  const entries: Entry[] = [];
  const objects = new Map<string, { hash: string; kind: string; body: string }>();
  for (const [position, { kind, owner, name, text }] of all.entries()) {
    // A NUL cannot be kept in a text column, and no fence text or list needs one.
    const body = text.replaceAll('\0', '\ufffd');
    const hash = hashObject(kind, body);
    objects.set(hash, { hash, kind, body });
    entries.push({ kind, owner, name, position, objectHash: hash });
  }
  for (const batch of batches([...objects.values()]))
    await ObjectModel.query(trx).insert(batch).onConflict('hash').ignore();
  return entries;
}

/** Identifies a text of a kind; the same everywhere. */
export function hashObject(kind: string, body: string): string {
  return createHash('sha256').update(`${kind}\n${body}`).digest('hex');
}

/** Of a snapshot, what has one of these names, or belongs to what has it. */
export async function entriesNamed(db: Database, snapshotId: number, names: readonly string[]): Promise<Entry[]> {
  return SnapshotEntryModel.query(db)
    .where({ snapshotId })
    .where((either) => either.whereIn('name', [...names]).orWhereIn('owner', [...names]))
    .orderBy('position');
}

/** What opens datasets that a snapshot pinned. */
export interface DatasetSource {
  ofSnapshot(name: string, sha256: string, db: Database): Promise<Dataset>;
}

/** The texts behind entries, in order; datasets are left out. */
export async function loadStored(
  db: Database,
  entries: readonly Entry[],
): Promise<Configuration & { readonly pins: readonly { readonly name: string; readonly sha256: string }[] }> {
  const hashes = [...new Set(entries.map((entry) => entry.objectHash))];
  const bodies = new Map<string, string>();
  for (const batch of batches(hashes)) {
    for (const { hash, body } of await ObjectModel.query(db).findByIds(batch)) bodies.set(hash, body);
  }
  const sorted = [...entries].sort((a, b) => a.position - b.position);
  const textOf = (entry: Entry): string => bodies.get(entry.objectHash)!;
  return {
    parts: sorted
      .filter(({ kind }) => kind !== LIST_FILE && kind !== DATASET)
      .map((entry) => ({ kind: entry.kind as PartKind, owner: entry.owner, name: entry.name, text: textOf(entry) })),
    namedFiles: sorted
      .filter(({ kind }) => kind === LIST_FILE)
      .map((entry) => ({ path: entry.name, text: textOf(entry) })),
    pins: sorted.filter(({ kind }) => kind === DATASET).map((entry) => ({ name: entry.name, sha256: textOf(entry) })),
  };
}

/** The same configuration always has the same hash. */
export function hashEntries(entries: readonly Entry[]): string {
  const lines = [...entries]
    .sort((a, b) => a.position - b.position)
    .map(({ kind, owner, name, objectHash }) => JSON.stringify([kind, owner, name, objectHash]));
  return createHash('sha256').update(lines.join('\n')).digest('hex');
}

/** Pins a configuration: the snapshot is immutable, and one and the same for equal configurations. */
export async function pinSnapshot(trx: Transaction, entries: readonly Entry[]): Promise<SnapshotModel> {
  const rootHash = hashEntries(entries);
  // Two that pin the same at once: the later waits here for the earlier and then finds its snapshot.
  const inserted = await SnapshotModel.query(trx).insert({ rootHash }).onConflict('rootHash').ignore().returning('*');
  if (inserted.id === undefined) return SnapshotModel.query(trx).findOne({ rootHash }).throwIfNotFound();
  for (const batch of batches(entries))
    await SnapshotEntryModel.query(trx).insert(
      batch.map((entry) => ({ ...pickEntry(entry), snapshotId: inserted.id })),
    );
  return inserted;
}

export async function loadSnapshot(db: Database, snapshotId: number, source: DatasetSource): Promise<Configuration> {
  const { pins, ...texts } = await loadStored(db, await SnapshotEntryModel.query(db).where({ snapshotId }));
  const datasets = await Promise.all(pins.map(({ name, sha256 }) => source.ofSnapshot(name, sha256, db)));
  return { ...texts, datasets };
}

export function pickEntry({ kind, owner, name, position, objectHash }: Entry): Entry {
  return { kind, owner, name, position, objectHash };
}

/** Of that many configurations the rules stay read: what is published, the draft, and one more. */
const KEPT_READ = 3;
const read = new LRUCache<string, CheckedFences & { text: string }>({ max: KEPT_READ });

/**
 * Fence text of a stored configuration, parsed and checked. Reading thousands of rules takes seconds, so that the latest
 * few stay read.
 * @param known what is there now, for a draft; what was pinned is checked as it was when fewer things were
 */
export function checkStored(
  configuration: Configuration,
  known?: { readonly categories: ReadonlySet<string> | undefined },
): CheckedFences & { text: string } {
  const key = hashOf(configuration, known);
  const checked = read.get(key) ?? readStored(configuration, known);
  read.set(key, checked);
  return checked;
}

/** Of everything that the result depends on. */
function hashOf(
  { parts, namedFiles, datasets = [] }: Configuration,
  known?: { readonly categories: ReadonlySet<string> | undefined },
): string {
  const all = [
    parts.map(({ kind, owner, name, text }) => [kind, owner, name, text]),
    namedFiles.map(({ path, text }) => [path, text]),
    datasets.map(({ name, kind, sha256 }) => [name, kind, sha256]),
    known ? [...(known.categories ?? ['any'])] : 'pinned',
    known?.categories === undefined,
  ];
  return createHash('sha256').update(JSON.stringify(all)).digest('hex');
}

/** Checks files of a stored configuration again, of which parts were left out. */
export function recheckStored(
  { namedFiles, datasets = [] }: Configuration,
  known: { readonly categories: ReadonlySet<string> | undefined },
  files: readonly FenceFile[],
): CheckedFences {
  const named = new Map(datasets.map((dataset) => [dataset.name, dataset]));
  return checkTree(files, namedFiles, { categories: known.categories, datasets: named, isPinned: false });
}

function readStored(
  { parts, namedFiles, datasets = [] }: Configuration,
  known?: { readonly categories: ReadonlySet<string> | undefined },
): CheckedFences & { text: string } {
  const text = printFences(joinParts(parts, DRAFT_PATH));
  const outside = {
    categories: known?.categories,
    datasets: new Map(datasets.map((dataset) => [dataset.name, dataset])),
    isPinned: known === undefined,
  };
  return { ...checkFences([{ path: DRAFT_PATH, text }], namedFiles, outside), text };
}
