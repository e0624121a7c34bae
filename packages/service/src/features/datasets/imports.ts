import { createHash } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import type { DatasetInfo, DatasetOwner } from '@jadefence/contract';
import type { CountryShare, DatasetKind } from '@jadefence/core/reference';
import { recordChange } from '../../database/audit.js';
import type { Transaction } from '../../database/database.js';
import { FeedModel, type DatasetModel, type DatasetStats } from '../../database/models.js';
import type { Actor } from '../../http/authenticate.js';
import { ProblemError } from '../../http/problem.js';
import type { ReferencePool } from '../../threads/reference-pool.js';
import type { ReferenceTask } from '../../threads/reference-worker.js';
import { makeTemporaryFolder } from '../../temporary-folder.js';
import type { Admission } from '../../admission.js';
import type { Datasets } from '../../reference/datasets.js';
import type { ImpactAnalysis } from './impact-analysis.js';

/** What is imported, and how. */
export interface ImportInput {
  readonly kind: DatasetOwner;
  readonly name: string;
  /** Of a category feed whose lines have none. */
  readonly category?: string;
  /** Of a list. */
  readonly listKind?: DatasetKind;
  /** Goes on although the change is large. */
  readonly isConfirmed?: boolean;
  /** Whether the latest log is replayed before the dataset becomes active; unless specified it is. */
  readonly isReplayed?: boolean;
}

/** Who does something: a person, or the service itself on its schedule. */
export type Doer = Pick<Actor, 'userId'> | { readonly userId: null };

/** A change by more than this share waits for a yes. */
const LARGE_CHANGE = 0.2;

const EXPECTED: Record<DatasetOwner, string> = {
  country:
    'Expected rows such as 198.18.32.0,198.18.47.255,NO or 198.18.32.0/20,NO, statistics of a registry, or MMDB.',
  category:
    'Expected lines such as shop.example,shopping, a list with --category, a hosts file, or an archive of such files.',
  list: 'Expected one entry a line, as in the file of a list.',
};

/** Brings reference data in: read in a thread, checked against what is active, replayed, and only then made active. */
export class ReferenceImports {
  constructor(
    private readonly datasets: Datasets,
    private readonly effects: ImpactAnalysis,
    private readonly pool: ReferencePool,
    private readonly admission: Admission,
  ) {}

  /** @throws ProblemError, what is active untouched, when nothing of the file can be used */
  async import(
    input: ImportInput,
    pieces: AsyncIterable<Uint8Array>,
    doer: Doer,
    signal?: AbortSignal,
  ): Promise<DatasetInfo> {
    return this.admission.run(() => this.#import(input, pieces, doer, signal));
  }

  async #import(
    input: ImportInput,
    pieces: AsyncIterable<Uint8Array>,
    doer: Doer,
    signal: AbortSignal | undefined,
  ): Promise<DatasetInfo> {
    const folder = await makeTemporaryFolder('reference');
    try {
      const path = join(folder, 'upload');
      const hash = createHash('sha256');
      await pipeline(pieces, hashing(hash), createWriteStream(path));
      return await this.#read(input, path, hash.digest('hex'), doer, signal);
    } finally {
      await rm(folder, { recursive: true, force: true });
    }
  }

  async #read(
    input: ImportInput,
    path: string,
    sha256: string,
    doer: Doer,
    signal: AbortSignal | undefined,
  ): Promise<DatasetInfo> {
    const answer = await this.pool.read(taskOf(input, path), signal);
    if ('unreadable' in answer)
      throw new ProblemError('bad-reference-data', answer.unreadable, { hint: EXPECTED[input.kind] });
    const { bytes, stats, builtAtUnixMs } = answer;
    if (stats.numEntries === 0) throw nothingUsable(input, stats);
    const dataset = await this.datasets.change(async (trx) => {
      const before = await this.datasets.otherActive(input, trx);
      if (before?.sha256 === sha256) return before;
      const inserted = await this.datasets.insert(
        trx,
        {
          kind: input.kind,
          name: input.name,
          sha256,
          stats,
          builtAt: builtAtUnixMs === undefined ? null : new Date(builtAtUnixMs),
          waitsFor: before && !input.isConfirmed ? largeChange(before.stats, stats) : null,
          importedBy: doer.userId,
        },
        bytes,
      );
      await recordChange(trx, {
        userId: doer.userId,
        what: `${input.kind}.import`,
        detail: { dataset: inserted.id, name: input.name, sha256, numEntries: stats.numEntries },
      });
      return inserted;
    });
    if (!dataset.isActive) await this.#settle(dataset, input.isReplayed ?? true, doer);
    return this.datasets.present(await this.datasets.find(dataset.id));
  }

  /** Makes the dataset active, after a replay where there is something to replay, unless it waits for a yes. */
  async #settle(dataset: DatasetModel, isReplayed: boolean, doer: Doer): Promise<void> {
    if (isReplayed && (await this.effects.begin(dataset, doer))) return;
    if (dataset.waitsFor === null) await this.#activate(dataset, doer);
  }

  async #activate(dataset: DatasetModel, doer: Doer): Promise<void> {
    await this.datasets.change(async (trx) => {
      await this.datasets.activate(trx, dataset);
      if (dataset.kind === 'category') await appendFeed(trx, dataset.name);
      await recordChange(trx, {
        userId: doer.userId,
        what: `${dataset.kind}.use`,
        detail: { dataset: dataset.id, name: dataset.name, changedDecisions: dataset.effect?.changed ?? null },
      });
    });
  }

  /** Activates an earlier dataset, or one that needs confirmation. @throws ProblemError if the change is large and not confirmed */
  async activate(id: number, isConfirmed: boolean, doer: Doer): Promise<DatasetInfo> {
    const dataset = await this.datasets.find(id);
    if (dataset.state === 'checking')
      throw new ProblemError('confirmation-required', `Dataset ${id} is still being replayed.`, {
        hint: 'Wait until it is done.',
      });
    const before = await this.datasets.change((trx) => this.datasets.otherActive(dataset, trx));
    const large = before ? largeChange(before.stats, dataset.stats) : null;
    if (large !== null && !isConfirmed)
      throw new ProblemError('confirmation-required', large, { hint: 'Pass --yes to activate it anyway.' });
    if (!dataset.isActive) await this.#activate(dataset, doer);
    return this.datasets.present(await this.datasets.find(id));
  }

  /** Takes up what a process left behind when it ended. */
  async resume(): Promise<void> {
    for (const { id, importedBy } of await this.effects.unfinished()) await this.effects.enqueue(id, importedBy);
  }

  /** Ends a check: what it found is kept, and the dataset becomes active unless it waits for a yes. */
  async finishCheck(id: number, doer: Doer): Promise<void> {
    // A job that was taken up again after a restart may have been done meanwhile.
    const { state, isActive } = await this.datasets.find(id);
    if (state !== 'checking') return;
    if (!isActive) {
      await this.effects.run(id).catch(async (error: Error) => {
        await this.datasets.hold(id, `The latest log could not be replayed with it: ${error.message}`);
      });
      const dataset = await this.datasets.find(id);
      if (dataset.waitsFor === null) await this.#activate(dataset, doer);
    }
    await this.datasets.settle(id);
  }
}

function taskOf({ kind, name, category, listKind }: ImportInput, path: string): ReferenceTask {
  if (kind === 'country') return { kind, path, name };
  if (kind === 'category') return { kind, path, name, ...(category === undefined ? {} : { category }) };
  if (!/^[a-z][a-z0-9-]{0,62}$/.test(name))
    throw new ProblemError('bad-input', `"${name}" is no name of a dataset.`, {
      hint: 'Write small letters, digits and hyphens, since lists name it.',
    });
  if (!listKind)
    throw new ProblemError('bad-input', 'A list needs the kind of its entries.', { hint: 'Add --kind domains.' });
  return { kind, path, name, listKind };
}

/** A feed that is new, or was removed from the order, comes last. */
async function appendFeed(trx: Transaction, name: string): Promise<void> {
  const last = await FeedModel.query(trx).orderBy('position', 'desc').first();
  await FeedModel.query(trx)
    .insert({ name, position: (last?.position ?? 0) + 1 })
    .onConflict('name')
    .ignore();
}

function nothingUsable({ kind }: ImportInput, { problems }: DatasetStats): ProblemError {
  return new ProblemError('bad-reference-data', 'The file has no usable line; everything is as it was.', {
    errors: problems.map(({ file, line, message }) => ({
      place: `${file === undefined ? '' : `${file} `}line ${line}`,
      message,
    })),
    hint: EXPECTED[kind],
  });
}

/** Why a change is large, or null. */
function largeChange(before: DatasetStats, after: DatasetStats): string | null {
  const measures: [string, number, number][] = [
    ['entries', before.numEntries, after.numEntries],
    ['IPv4 addresses', sumAddresses(before.countries, 'addresses4'), sumAddresses(after.countries, 'addresses4')],
    ['IPv6 addresses', sumAddresses(before.countries, 'addresses6'), sumAddresses(after.countries, 'addresses6')],
  ];
  for (const [what, was, is] of measures) {
    const change = was === 0 ? 0 : (is - was) / was;
    if (Math.abs(change) <= LARGE_CHANGE) continue;
    const percent = `${Math.round(Math.abs(change) * 100).toLocaleString('en')}% ${change < 0 ? 'fewer' : 'more'}`;
    return is === 0 ? `It holds no ${what} any more.` : `It holds ${percent} ${what} than what is active.`;
  }
  return null;
}

function sumAddresses(countries: readonly CountryShare[] = [], family: 'addresses4' | 'addresses6'): number {
  return countries.reduce((sum, country) => sum + Number(country[family]), 0);
}

function hashing(hash: ReturnType<typeof createHash>) {
  return async function* (source: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
    for await (const piece of source) {
      hash.update(piece);
      yield piece;
    }
  };
}
