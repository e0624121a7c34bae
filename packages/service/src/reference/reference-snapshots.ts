import { createHash } from 'node:crypto';
import { parseSite, type CategoryEntry, type CategoryFeed, type CountryRange } from '@jadefence/core/reference';
import type { Database, Transaction } from '../database/database.js';
import { CorrectionModel, FeedModel, ObjectModel, type DatasetModel } from '../database/models.js';
import { openReferenceData, type SharedReferenceData, type PreparedReferenceData } from './shared-reference-data.js';
import { readRange } from './read-range.js';
import type { Datasets } from './datasets.js';
import { Recent } from '../recent-cache.js';

const MAX_KEPT = 4;

/** A dataset that is pinned. */
export interface PinnedDataset {
  readonly id: number;
  readonly name: string;
  readonly sha256: string;
}

/** What decisions depend on besides the fences, by reference and complete: the same pin gives the same decisions. */
export interface ReferencePin {
  readonly country: PinnedDataset | null;
  readonly countryCorrections: readonly (readonly [range: string, country: string])[];
  readonly feeds: readonly PinnedDataset[];
  readonly categoryCorrections: readonly (readonly [site: string, categories: string])[];
}

/** An opened pin: for lookups here, and for sending to threads. */
export interface LoadedReferenceData {
  readonly referenceData: PreparedReferenceData;
  readonly shared: SharedReferenceData;
}

/** The reference data that is active now, or was when something was pinned. */
export class ReferenceSnapshots {
  readonly #loaded = new Recent<LoadedReferenceData>(MAX_KEPT);

  constructor(
    private readonly db: Database,
    private readonly datasets: Datasets,
  ) {}

  /** What is active now. */
  async current(db: Database = this.db): Promise<ReferencePin> {
    const [country] = await this.datasets.active('country', db);
    const corrections = await CorrectionModel.query(db).orderBy(['kind', 'key']);
    const of = (kind: string): [string, string][] =>
      corrections.filter((correction) => correction.kind === kind).map(({ key, value }) => [key, value]);
    return {
      country: country ? pinDataset(country) : null,
      countryCorrections: of('country'),
      feeds: (await this.feeds(db)).map(pinDataset),
      categoryCorrections: of('category'),
    };
  }

  /** The active datasets of the category feeds, in their order. */
  async feeds(db: Database = this.db): Promise<DatasetModel[]> {
    const active = await this.datasets.active('category', db);
    const order = await FeedModel.query(db).orderBy('position');
    return order.flatMap(({ name }) => active.find((dataset) => dataset.name === name) ?? []);
  }

  /** Stores what is active now, or another referenceData, as one immutable object. @returns its hash */
  async pin(trx: Transaction, pin?: ReferencePin): Promise<string> {
    const body = JSON.stringify(pin ?? (await this.current(trx)));
    const hash = hashWorld(body);
    await ObjectModel.query(trx).insert({ hash, kind: 'referenceData', body }).onConflict('hash').ignore();
    return hash;
  }

  async pinned(hash: string): Promise<ReferencePin> {
    return JSON.parse((await ObjectModel.query(this.db).findById(hash).throwIfNotFound()).body) as ReferencePin;
  }

  async load(hash: string): Promise<LoadedReferenceData> {
    return this.#load(hash, () => this.pinned(hash));
  }

  async loadCurrent(): Promise<LoadedReferenceData> {
    const pin = await this.current();
    return this.#load(hashWorld(JSON.stringify(pin)), async () => pin);
  }

  /** What identifies the active reference data. */
  async currentHash(): Promise<string> {
    return hashWorld(JSON.stringify(await this.current()));
  }

  /** Every category that a feed or a correction knows; undefined where there is no feed, so that every name may be one. */
  async categoryNames(db: Database = this.db): Promise<ReadonlySet<string> | undefined> {
    const feeds = await this.feeds(db);
    if (feeds.length === 0) return undefined;
    const corrected = await CorrectionModel.query(db).where({ kind: 'category' });
    return new Set([
      ...feeds.flatMap(({ stats }) => (stats.categories ?? []).map(({ name }) => name)),
      ...corrected.flatMap(({ value }) => value.split(',')),
    ]);
  }

  async #load(hash: string, pinOf: () => Promise<ReferencePin>): Promise<LoadedReferenceData> {
    return this.#loaded.get(hash, async () => this.#open(await pinOf()));
  }

  async #open(pin: ReferencePin): Promise<LoadedReferenceData> {
    const feeds: (CategoryFeed & { buffer: SharedArrayBuffer })[] = [];
    for (const { id } of pin.feeds) {
      const feed = await this.datasets.feed(await this.datasets.find(id));
      feeds.push({ ...feed, buffer: await this.datasets.buffer(id) });
    }
    const { country } = pin;
    const shared: SharedReferenceData = {
      ...(country ? { countryTable: { buffer: await this.datasets.buffer(country.id), name: country.name } } : {}),
      countryCorrections: pin.countryCorrections.map(([range, code]): CountryRange => ({
        ...readRange(range),
        country: code,
      })),
      feeds: feeds.map(({ name, categories, buffer }) => ({ name, categories, buffer })),
      categoryCorrections: pin.categoryCorrections.flatMap(([site, categories]) =>
        categories.split(',').map((category): CategoryEntry => ({ ...(parseSite(site) as CategoryEntry), category })),
      ),
    };
    const countryTable = country ? { countryTable: await this.datasets.countryTable(country.id) } : {};
    return { shared, referenceData: openReferenceData(shared, { ...countryTable, feeds }) };
  }
}

function pinDataset({ id, name, sha256 }: DatasetModel): PinnedDataset {
  return { id, name, sha256 };
}

function hashWorld(body: string): string {
  return createHash('sha256').update(`referenceData\n${body}`).digest('hex');
}
