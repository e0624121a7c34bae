import type { DatasetInfo } from '@jadefence/contract';
import type { DatasetsQuery } from '@jadefence/contract/server';
import {
  Dataset,
  encodeCountryTable,
  HostTable,
  parseCountryRows,
  RangeTable,
  type CategoryFeed,
} from '@jadefence/core/reference';
import { inTransaction, type Database, type Transaction } from '../database/database.js';
import { DatasetModel, DatasetPartModel, UserModel, type DatasetStats } from '../database/models.js';
import { ProblemError } from '../http/problem.js';
import { LRUCache } from 'lru-cache';

const PART_BYTES = 1_048_576;
/** Large tables are kept in memory up to this, the recently used ones. */
const MAX_KEPT_BYTES = 1_073_741_824;
const BINARY_MAGIC = ['JFRT', 'JFHT'];

/** A dataset that is opened: its bytes and what reads them. */
interface OpenedDataset {
  readonly buffer: SharedArrayBuffer;
  readonly ranges?: RangeTable;
  readonly hosts?: HostTable;
}

/** Where the bytes of datasets come from that another thread has in memory. */
export type TableSource = Pick<Datasets, 'buffer'>;

/** Keeps datasets in the database, and those in use in memory, where threads share them. */
export class Datasets {
  readonly #opened = new LRUCache<number, Promise<OpenedDataset>>({ maxSize: MAX_KEPT_BYTES });

  /** @param tables supplies bytes; unless given they are read from the database */
  constructor(
    private readonly db: Database,
    private readonly tables?: TableSource,
  ) {}

  /** @throws ProblemError when there is no such dataset (any more) */
  async find(id: number, db: Database = this.db): Promise<DatasetModel> {
    const dataset = await DatasetModel.query(db).findById(id);
    if (!dataset) throw new ProblemError('not-found', `There is no dataset ${id}.`);
    return dataset;
  }

  /** The active ones of a kind; of country tables one, of feeds and lists one a name. */
  async active(kind: DatasetModel['kind'], db: Database = this.db): Promise<DatasetModel[]> {
    return DatasetModel.query(db).where({ kind, isActive: true }).orderBy('name');
  }

  /** The one that `dataset` would take the place of. */
  async otherActive(dataset: Pick<DatasetModel, 'kind' | 'name'>, db: Database): Promise<DatasetModel | undefined> {
    const active = await this.active(dataset.kind, db);
    return dataset.kind === 'country' ? active[0] : active.find(({ name }) => name === dataset.name);
  }

  async insert(
    trx: Transaction,
    fields: Pick<DatasetModel, 'kind' | 'name' | 'sha256' | 'builtAt' | 'waitsFor' | 'importedBy'> & {
      stats: DatasetStats;
    },
    bytes: Uint8Array,
  ): Promise<DatasetModel> {
    const dataset = await DatasetModel.query(trx)
      .insert({ ...fields, isActive: false })
      .returning('*');
    for (let seq = 0; seq * PART_BYTES < bytes.length; seq += 1) {
      const part = Buffer.from(bytes.subarray(seq * PART_BYTES, (seq + 1) * PART_BYTES));
      await DatasetPartModel.query(trx).insert({ datasetId: dataset.id, seq, bytes: part });
    }
    return dataset;
  }

  async activate(trx: Transaction, dataset: DatasetModel): Promise<void> {
    const before = await this.otherActive(dataset, trx);
    if (before) await DatasetModel.query(trx).patch({ isActive: false }).where({ id: before.id });
    await DatasetModel.query(trx).patch({ isActive: true, waitsFor: null }).where({ id: dataset.id });
  }

  /** Keeps a dataset inactive until it is confirmed. */
  async hold(id: number, waitsFor: string): Promise<void> {
    await DatasetModel.query(this.db).patch({ waitsFor }).where({ id });
  }

  /** Ends the check of a dataset. */
  async settle(id: number): Promise<void> {
    await DatasetModel.query(this.db).patch({ state: 'settled' }).where({ id });
  }

  /** What a snapshot pinned: the latest import of these bytes under this name. @throws ProblemError when it is not here any more */
  async ofSnapshot(name: string, sha256: string, db: Database = this.db): Promise<Dataset> {
    const dataset = await DatasetModel.query(db).where({ kind: 'list', name, sha256 }).orderBy('id', 'desc').first();
    if (!dataset)
      throw new ProblemError(
        'not-repeatable',
        `The dataset ${name} (${sha256.slice(0, 12)}), which this depends on, was deleted.`,
        {
          hint: 'Import the same file under the same name again.',
        },
      );
    return this.asDataset(dataset);
  }

  async buffer(id: number): Promise<SharedArrayBuffer> {
    return (await this.#open(id)).buffer;
  }

  async countryTable(id: number): Promise<RangeTable> {
    return (await this.#open(id)).ranges!;
  }

  async feed({ id, name, stats }: DatasetModel): Promise<CategoryFeed> {
    return {
      name,
      categories: (stats.categories ?? []).map((item) => item.name),
      table: (await this.#open(id)).hosts!,
    };
  }

  /** The active datasets of these names, for the lists that take their entries from them. */
  async forLists(names: readonly string[], db: Database = this.db): Promise<Dataset[]> {
    if (names.length === 0) return [];
    const active = await this.active('list', db);
    return Promise.all(active.filter(({ name }) => names.includes(name)).map((dataset) => this.asDataset(dataset)));
  }

  async asDataset({ id, name, stats, sha256 }: DatasetModel): Promise<Dataset> {
    const { buffer, ranges, hosts } = await this.#open(id);
    return new Dataset(name, stats.listKind!, buffer, sha256, ranges ?? hosts);
  }

  /** Opens a dataset once for all callers. */
  #open(id: number): Promise<OpenedDataset> {
    const kept = this.#opened.get(id);
    if (kept) return kept;
    const opened = this.#load(id);
    this.#opened.set(id, opened, { size: 1 });
    const keep = (size: number | undefined): void => {
      // It may have been deleted meanwhile.
      if (this.#opened.peek(id) !== opened) return;
      this.#opened.delete(id);
      if (size !== undefined) this.#opened.set(id, opened, { size });
    };
    opened.then(
      ({ buffer }) => keep(Math.min(Math.max(1, buffer.byteLength), MAX_KEPT_BYTES)),
      () => keep(undefined),
    );
    return opened;
  }

  async #load(id: number): Promise<OpenedDataset> {
    const buffer = this.tables ? await this.tables.buffer(id) : await this.#read(id);
    const magic = Buffer.from(buffer, 0, Math.min(buffer.byteLength, 4)).toString('latin1');
    return magic === 'JFHT' ? { buffer, hosts: new HostTable(buffer) } : { buffer, ranges: new RangeTable(buffer) };
  }

  async #read(id: number): Promise<SharedArrayBuffer> {
    const rows = await DatasetPartModel.query(this.db).where({ datasetId: id }).orderBy('seq');
    if (rows.length === 0)
      throw new ProblemError('not-repeatable', `Dataset ${id}, which this depends on, was deleted.`, {
        hint: 'Start a new replay; it takes the reference data that is active now.',
      });
    const stored = Buffer.concat(rows.map(({ bytes }) => bytes));
    const magic = stored.toString('latin1', 0, 4);
    // Tables of the first version are kept as the text they were imported as.
    const bytes = BINARY_MAGIC.includes(magic)
      ? stored
      : new Uint8Array(encodeCountryTable(parseCountryRows(stored.toString('utf8')).ranges));
    const buffer = new SharedArrayBuffer(bytes.length);
    new Uint8Array(buffer).set(bytes);
    return buffer;
  }

  /** Releases a dataset that was deleted. */
  evict(id: number): void {
    this.#opened.delete(id);
  }

  /** Every dataset, or those of a kind, the latest first. */
  async list({ kind, offset, limit }: DatasetsQuery): Promise<DatasetInfo[]> {
    const datasets = await DatasetModel.query(this.db)
      .where(kind ? { kind } : {})
      .orderBy('id', 'desc')
      .offset(offset)
      .limit(limit);
    return Promise.all(datasets.map((dataset) => this.present(dataset)));
  }

  async present(dataset: DatasetModel): Promise<DatasetInfo> {
    const { id, kind, name, sha256, isActive, state, waitsFor, effect, stats, builtAt, importedAt } = dataset;
    const importer =
      dataset.importedBy === null ? undefined : await UserModel.query(this.db).findById(dataset.importedBy);
    const { numEntries, numRejected, problems, listKind, categories, renamed, numOwnNames } = stats;
    return {
      id,
      kind,
      name,
      sha256,
      isActive,
      state,
      waitsFor,
      effect,
      numEntries,
      numRejected,
      problems,
      ...(listKind ? { listKind } : {}),
      ...(categories ? { categories } : {}),
      ...(renamed ? { renamed } : {}),
      ...(numOwnNames ? { numOwnNames } : {}),
      builtAt: builtAt?.toISOString() ?? null,
      importedAt: importedAt.toISOString(),
      importedBy: importer?.name ?? null,
    };
  }

  /** Runs `work` in a transaction during which no other change of reference data runs. */
  async change<T>(work: (trx: Transaction) => Promise<T>): Promise<T> {
    return inTransaction(this.db, async (trx) => {
      await trx.raw('select pg_advisory_xact_lock(?)', [REFERENCE_LOCK]);
      return work(trx);
    });
  }
}

const REFERENCE_LOCK = 7_340_003;
