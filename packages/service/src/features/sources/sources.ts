import { createReadStream } from 'node:fs';
import { realpath, stat } from 'node:fs/promises';
import { isAbsolute, relative, resolve } from 'node:path';
import type { DatasetInfo, DatasetOwner, SourceInfo } from '@jadefence/contract';
import { decompress } from '@jadefence/files';
import type { Logger } from 'pino';
import { recordChange } from '../../database/audit.js';
import { inTransaction, type Database } from '../../database/database.js';
import { SourceModel } from '../../database/models.js';
import type { Actor } from '../../http/authenticate.js';
import { ProblemError } from '../../http/problem.js';
import { fetchReference, type FetchLimits, type Validators } from './fetch.js';
import type { Doer, ReferenceImports } from '../datasets/imports.js';

const MINUTE_MS = 60_000;

/** The settings of a source. */
export type SourceInput = Pick<SourceInfo, 'kind' | 'name' | 'locations' | 'category' | 'listKind' | 'everyMinutes'>;

/** What a location holds now. */
type FetchedSource =
  { readonly pieces: () => AsyncIterable<Uint8Array>; readonly validators: Validators } | 'unchanged';

/** Where a dataset comes from, if that is known. */
export async function findSource(db: Database, kind: DatasetOwner, name: string): Promise<SourceModel | undefined> {
  return SourceModel.query(db).findById([kind, name]);
}

/** Refreshes datasets from their sources, on demand and on schedule. */
export class Sources {
  constructor(
    private readonly db: Database,
    private readonly imports: ReferenceImports,
    private readonly limits: FetchLimits,
    private readonly folder: string | undefined,
    private readonly logger: Logger,
  ) {}

  async list(): Promise<SourceInfo[]> {
    return (await SourceModel.query(this.db).orderBy(['kind', 'name'])).map(present);
  }

  async of(kind: DatasetOwner, name: string): Promise<SourceModel | undefined> {
    return findSource(this.db, kind, name);
  }

  /** @throws ProblemError where a location cannot be one */
  async put(
    { kind, name, locations, everyMinutes, category, listKind }: SourceInput,
    actor: Actor,
  ): Promise<SourceInfo> {
    for (const location of locations) await this.#check(location);
    const options = { ...(category ? { category } : {}), ...(listKind ? { listKind } : {}) };
    const fields = { locations, options, everyMinutes, validators: [], failure: null, changedBy: actor.userId };
    await inTransaction(this.db, async (trx) => {
      const before = await SourceModel.query(trx).findById([kind, name]);
      await SourceModel.query(trx)
        .insert({ kind, name, ...fields })
        .onConflict(['kind', 'name'])
        .merge();
      await recordChange(trx, {
        userId: actor.userId,
        what: `${kind}.set-source`,
        detail: { name, before: before?.locations ?? null, after: locations, everyMinutes },
      });
    });
    return present((await this.of(kind, name))!);
  }

  async remove(kind: DatasetOwner, name: string, actor: Actor): Promise<void> {
    await inTransaction(this.db, async (trx) => {
      const before = await this.#find(kind, name);
      await SourceModel.query(trx).deleteById([kind, name]);
      await recordChange(trx, {
        userId: actor.userId,
        what: `${kind}.unset-source`,
        detail: { name, before: before.locations },
      });
    });
  }

  /**
   * Checks every location for changes, and imports them if one has changed.
   * @returns the dataset, or undefined where nothing has changed
   * @throws ProblemError if it cannot be refreshed; the reason is kept with the source, and the active dataset stays
   */
  async refresh(kind: DatasetOwner, name: string, isConfirmed: boolean, doer: Doer): Promise<DatasetInfo | undefined> {
    const source = await this.#find(kind, name);
    const checkedAt = new Date();
    const where = { kind, name };
    try {
      const opened = await this.#openAll(source);
      const dataset =
        opened &&
        (await this.imports.import(
          { kind, name: kind === 'country' ? nameOf(source) : name, ...source.options, isConfirmed },
          joinLines(opened),
          doer,
        ));
      const validators = opened ? { validators: opened.map((item) => item.validators) } : {};
      await SourceModel.query(this.db)
        .patch({ checkedAt, succeededAt: checkedAt, failure: null, ...validators })
        .where(where);
      return dataset;
    } catch (error) {
      const failure =
        error instanceof ProblemError ? error.message : 'The service met an error that it did not foresee.';
      await SourceModel.query(this.db).patch({ checkedAt, failure }).where(where);
      throw error;
    }
  }

  /** Refreshes what is due, one after the other; a failure is kept with its source and logged. */
  async refreshDue(now: Date): Promise<void> {
    const due = (await SourceModel.query(this.db)).filter(
      ({ checkedAt, everyMinutes }) => !checkedAt || now.getTime() - checkedAt.getTime() >= everyMinutes * MINUTE_MS,
    );
    for (const { kind, name } of due) {
      // Of several services on one database, one refreshes: the one that moves the time of the check first.
      const isOurs = await SourceModel.query(this.db)
        .patch({ checkedAt: now })
        .where({ kind, name })
        .where((query) => {
          query.whereNull('checkedAt').orWhere('checkedAt', '<', new Date(now.getTime() - MINUTE_MS));
        });
      if (isOurs === 0) continue;
      await this.refresh(kind, name, false, { userId: null }).catch((error: unknown) =>
        this.logger.warn({ err: error, kind, name }, 'a refresh failed'),
      );
    }
  }

  async #find(kind: DatasetOwner, name: string): Promise<SourceModel> {
    const source = await this.of(kind, name);
    if (source) return source;
    throw new ProblemError('not-found', `No source is set for ${kind === 'country' ? 'the country table' : name}.`, {
      hint: 'Set its source first.',
    });
  }

  /** Every location opened, or undefined where none has changed. */
  async #openAll({ locations, validators }: SourceModel): Promise<Exclude<FetchedSource, 'unchanged'>[] | undefined> {
    const requested: FetchedSource[] = [];
    for (const [index, location] of locations.entries())
      requested.push(await this.#open(location, validators[index] ?? {}));
    if (requested.every((fetchedSource) => fetchedSource === 'unchanged')) return undefined;
    const opened: Exclude<FetchedSource, 'unchanged'>[] = [];
    for (const [index, one] of requested.entries()) {
      // Where one has changed all are needed.
      const needed = one === 'unchanged' ? await this.#open(locations[index]!, {}) : one;
      if (needed !== 'unchanged') opened.push(needed);
    }
    return opened;
  }

  async #open(location: string, known: Validators): Promise<FetchedSource> {
    if (isUrl(location)) {
      const fetched = await fetchReference(location, known, this.limits);
      if (fetched.kind === 'unchanged') return 'unchanged';
      return { pieces: () => fetched.pieces, validators: fetched.validators };
    }
    const path = await this.#check(location);
    const { size, mtimeMs } = await stat(path!);
    if (size > this.limits.maxBytes)
      throw new ProblemError(
        'refresh-failed',
        `${location} has ${size} bytes, and ${this.limits.maxBytes} are allowed.`,
      );
    const validators = { lastModified: new Date(mtimeMs).toISOString(), etag: String(size) };
    if (known.lastModified === validators.lastModified && known.etag === validators.etag) return 'unchanged';
    return { pieces: () => createReadStream(path!) as AsyncIterable<Uint8Array>, validators };
  }

  /** @returns the path of a file. @throws ProblemError where the location is none that may be read */
  async #check(location: string): Promise<string | undefined> {
    if (isUrl(location)) {
      const url = URL.canParse(location) ? new URL(location) : undefined;
      if (!url) throw new ProblemError('bad-input', `"${location}" is not a URL.`);
      if (url.username || url.password)
        throw new ProblemError('bad-input', `The URL of ${url.host} has a user name or password in it.`, {
          hint: 'Leave it out: every viewer can read where reference data comes from.',
        });
      return undefined;
    }
    if (this.folder === undefined)
      throw new ProblemError('bad-input', `"${location}" is no http(s) URL, and the service reads no files.`, {
        hint: 'Set JADEFENCE_REFERENCE_FOLDER to the folder that files may be refreshed from.',
      });
    const folder = await realpath(this.folder).catch(() => this.folder!);
    const path = await realpath(resolve(folder, location)).catch(() => {
      throw new ProblemError('bad-input', `There is no file "${location}" in the service's folder for reference data.`);
    });
    const inside = relative(folder, path);
    if (inside.startsWith('..') || isAbsolute(inside))
      throw new ProblemError('bad-input', `"${location}" is outside the service's folder for reference data.`);
    return path;
  }
}

function isUrl(location: string): boolean {
  return /^https?:\/\//i.test(location);
}

function nameOf({ locations }: SourceModel): string {
  const names = locations.map((location) =>
    location
      .replace(/[?#].*$/, '')
      .split('/')
      .filter(Boolean)
      .at(-1)!,
  );
  return names.length > 2 ? `${names[0]} and ${names.length - 1} more` : names.join(' and ');
}

/** Several files as one. Each is decompressed by itself, and ends with a line end. */
async function* joinLines(opened: readonly { pieces: () => AsyncIterable<Uint8Array> }[]): AsyncGenerator<Uint8Array> {
  if (opened.length === 1) return yield* opened[0]!.pieces();
  for (const { pieces } of opened) {
    yield* decompress(pieces());
    yield new Uint8Array([0x0a]);
  }
}

function present({ kind, name, locations, options, everyMinutes, ...rest }: SourceModel): SourceInfo {
  return {
    kind,
    name,
    locations,
    ...options,
    everyMinutes,
    checkedAt: rest.checkedAt?.toISOString() ?? null,
    succeededAt: rest.succeededAt?.toISOString() ?? null,
    failure: rest.failure,
  };
}
