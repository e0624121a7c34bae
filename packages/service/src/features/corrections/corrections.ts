import type { Correction, PutCorrection } from '@jadefence/contract';
import { NAME } from '@jadefence/core/language';
import { isCountryCode, parseSite, type CategoryEntry } from '@jadefence/core/reference';
import { formatRange } from '@jadefence/core/request';
import { recordChange } from '../../database/audit.js';
import type { Database } from '../../database/database.js';
import { CorrectionModel, UserModel } from '../../database/models.js';
import type { Actor } from '../../http/authenticate.js';
import { ProblemError } from '../../http/problem.js';
import type { Datasets } from '../../reference/datasets.js';
import { readRange } from '../../reference/read-range.js';

type Kind = Correction['kind'];

/** What people know better than a table or feed. */
export class Corrections {
  constructor(
    private readonly db: Database,
    private readonly datasets: Datasets,
    /** Those of the feeds and corrections; undefined if they are not known. */
    private readonly knownCategories: () => Promise<ReadonlySet<string> | undefined>,
  ) {}

  async list(kind: Kind): Promise<Correction[]> {
    const corrections = await CorrectionModel.query(this.db).where({ kind }).orderBy('key');
    const ids = [...new Set(corrections.flatMap(({ changedBy }) => changedBy ?? []))];
    const names = new Map((await UserModel.query(this.db).findByIds(ids)).map((user) => [user.id, user.name]));
    return corrections.map(({ key, value, reason, changedBy, changedAt }) => ({
      kind,
      key,
      value,
      reason,
      changedBy: names.get(changedBy ?? -1) ?? null,
      changedAt: changedAt.toISOString(),
    }));
  }

  /** Adds a correction, or replaces the one of the same range or site. @throws ProblemError describing what cannot be read */
  async put(kind: Kind, given: { key: string; value: string; reason?: string }, actor: Actor): Promise<PutCorrection> {
    const key = kind === 'country' ? formatRange(readRange(given.key)) : normalSite(given.key);
    const value = kind === 'country' ? readCountry(given.value) : readCategories(given.value);
    const { reason = null } = given;
    const known = kind === 'category' ? await this.knownCategories() : undefined;
    let replaced: PutCorrection['replaced'] = null;
    await this.datasets.change(async (trx) => {
      const before = await CorrectionModel.query(trx).findById([kind, key]);
      const fields = { value, reason, changedBy: actor.userId, changedAt: new Date() };
      if (before) replaced = { value: before.value, reason: before.reason };
      if (before) await CorrectionModel.query(trx).patch(fields).where({ kind, key });
      else await CorrectionModel.query(trx).insert({ kind, key, ...fields });
      await recordChange(trx, {
        userId: actor.userId,
        what: `${kind}.correct`,
        detail: { key, before: before?.value ?? null, after: value, reason },
      });
    });
    const put = (await this.list(kind)).find((correction) => correction.key === key)!;
    const newCategories = known && value.split(',').filter((name) => !known.has(name));
    return { ...put, replaced, ...(newCategories && newCategories.length > 0 ? { newCategories } : {}) };
  }

  /** @throws ProblemError where there is none of this range or site */
  async remove(kind: Kind, text: string, actor: Actor): Promise<void> {
    const key = kind === 'country' ? formatRange(readRange(text)) : normalSite(text);
    await this.datasets.change(async (trx) => {
      const before = await CorrectionModel.query(trx).findById([kind, key]);
      if (!before) throw new ProblemError('not-found', `There is no correction of ${key}.`);
      await CorrectionModel.query(trx).deleteById([kind, key]);
      await recordChange(trx, {
        userId: actor.userId,
        what: `${kind}.uncorrect`,
        detail: { key, before: before.value },
      });
    });
  }
}

function readCountry(text: string): string {
  const code = /^[a-z]{2}$/i.test(text) ? text.toUpperCase() : text;
  if (code === 'no-country' || code === 'internal' || (/^[A-Z]{2}$/.test(code) && isCountryCode(code))) return code;
  throw new ProblemError('bad-input', `"${text}" is no country.`, {
    hint: 'Write a code of ISO 3166-1 such as NO, or no-country, or internal.',
  });
}

function readCategories(text: string): string {
  const names = [...new Set(text.split(',').map((name) => name.trim()))];
  const wrong = names.find((name) => !NAME.test(name));
  if (wrong === undefined) return names.join(',');
  throw new ProblemError('bad-input', `"${wrong}" is no name of a category.`, {
    hint: 'Write small letters, digits and hyphens, several joined by commas, such as news,sport.',
  });
}

function normalSite(text: string): string {
  const { host, path = '' } = readSite(text);
  return `${host}${path}`;
}

/** A domain or URL in normal form. @throws ProblemError */
export function readSite(text: string): Pick<CategoryEntry, 'host' | 'path'> {
  const site = parseSite(text.trim());
  if (typeof site !== 'string') return site;
  throw new ProblemError('bad-input', `${site[0]!.toUpperCase()}${site.slice(1)}.`, {
    hint: 'Write a domain such as shop.example, or with a path, such as shop.example/sale.',
  });
}
