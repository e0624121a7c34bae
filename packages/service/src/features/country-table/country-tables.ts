import { createHash } from 'node:crypto';
import type { CountryTableInfo } from '@jadefence/contract';
import { createCountryTable, parseCountryCsv, type CountryTable } from '@jadefence/core';
import { recordChange } from '../../database/audit.js';
import { inTransaction, type Database } from '../../database/database.js';
import { DatasetModel, DatasetPartModel } from '../../database/models.js';
import type { Actor } from '../../http/authenticate.js';
import { ProblemError } from '../../http/problem.js';

const PART_BYTES = 1_048_576;
const KEPT_PROBLEMS = 100;

/** Country tables; one is active, and the others stay for the replays that rest on them. */
export class CountryTables {
  #kept: { readonly id: number; readonly table: CountryTable } | undefined;

  constructor(private readonly db: Database) {}

  async active(db: Database = this.db): Promise<DatasetModel | undefined> {
    return DatasetModel.query(db).findOne({ kind: 'country', isActive: true });
  }

  async show(): Promise<CountryTableInfo> {
    const dataset = await this.active();
    if (!dataset)
      throw new ProblemError('not-found', 'There is no country table yet.', {
        hint: 'Import one with jadefence country import FILE.',
      });
    return present(dataset);
  }

  /** Makes a CSV table the active one. @throws ProblemError, the active table untouched, when no row is usable */
  async import(name: string, csv: Buffer, actor: Actor): Promise<CountryTableInfo> {
    const { ranges, problems } = parseCountryCsv(csv.toString('utf8'));
    if (ranges.length === 0) {
      const errors = problems.slice(0, KEPT_PROBLEMS).map(({ line, message }) => ({ place: `line ${line}`, message }));
      throw new ProblemError('bad-country-table', 'The file has no usable row; the country table is as it was.', {
        errors,
        hint: 'Expected rows such as 198.18.32.0,198.18.47.255,NO or 198.18.32.0/20,NO.',
      });
    }
    const sha256 = createHash('sha256').update(csv).digest('hex');
    const dataset = await inTransaction(this.db, async (trx) => {
      await DatasetModel.query(trx).patch({ isActive: false }).where({ kind: 'country' });
      const stats = { numRanges: ranges.length, problems: problems.slice(0, KEPT_PROBLEMS) };
      const inserted = await DatasetModel.query(trx)
        .insert({ kind: 'country', name, sha256, isActive: true, stats })
        .returning('*');
      for (let seq = 0; seq * PART_BYTES < csv.length; seq += 1) {
        await DatasetPartModel.query(trx).insert({
          datasetId: inserted.id,
          seq,
          bytes: csv.subarray(seq * PART_BYTES, (seq + 1) * PART_BYTES),
        });
      }
      await recordChange(trx, {
        userId: actor.userId,
        what: 'country-table.import',
        detail: { name, sha256, numRanges: ranges.length },
      });
      return inserted;
    });
    return present(dataset);
  }

  /** The active table, read again only when another one becomes active. */
  async table(): Promise<CountryTable | undefined> {
    const dataset = await this.active();
    if (!dataset) return undefined;
    if (this.#kept?.id !== dataset.id)
      this.#kept = {
        id: dataset.id,
        table: createCountryTable(parseCountryCsv((await this.bytes(dataset.id)).toString('utf8')).ranges),
      };
    return this.#kept.table;
  }

  /** The bytes of a table as they were imported. */
  async bytes(datasetId: number): Promise<Buffer> {
    const parts = await DatasetPartModel.query(this.db).where({ datasetId }).orderBy('seq');
    return Buffer.concat(parts.map((part) => part.bytes));
  }
}

function present({ id, name, sha256, stats, importedAt }: DatasetModel): CountryTableInfo {
  return {
    id,
    name,
    sha256,
    numRanges: stats.numRanges,
    problems: stats.problems,
    importedAt: importedAt.toISOString(),
  };
}
