import { createHash } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { parseAddress } from '@jadefence/core/request';
import { createTestDatabase } from '../../../e2e/src/test-database.js';
import { Datasets } from './reference/datasets.js';
import { ReferenceSnapshots } from './reference/reference-snapshots.js';
import { migrate, openDatabase, type Database } from './database/database.js';
import { DatasetModel, ReplayModel } from './database/models.js';
import * as foundation from './database/migrations/0001-foundation.js';
import * as logSurvey from './database/migrations/0002-log-survey.js';
import * as revisions from './database/migrations/0003-revisions.js';
import * as referenceData from './database/migrations/0004-reference-data.js';
import * as logSegments from './database/migrations/0005-log-segments.js';
import * as comparisons from './database/migrations/0007-comparisons.js';
import * as safety from './database/migrations/0008-safety.js';
import * as names from './database/migrations/0009-names.js';
import * as logLayouts from './database/migrations/0006-log-layouts.js';

const BEFORE = { '0001-foundation': foundation, '0002-log-survey': logSurvey, '0003-revisions': revisions };
const CSV = '198.18.0.0/16,NO\n198.19.0.0/16,SE\n';

let database: Awaited<ReturnType<typeof createTestDatabase>>;
let db: Database;
beforeAll(async () => {
  database = await createTestDatabase();
  db = openDatabase(database.url, 4);
  await db.migrate.latest({
    migrationSource: {
      getMigrations: async () => Object.keys(BEFORE),
      getMigrationName: (name: string) => name,
      getMigration: async (name: string) => BEFORE[name as keyof typeof BEFORE],
    },
  });
  const sha256 = createHash('sha256').update(CSV).digest('hex');
  await db.raw(
    `insert into datasets (kind, name, sha256, is_active, stats) values ('country', 'old.csv', ?, true, '{"numRanges": 2, "problems": []}')`,
    [sha256],
  );
  await db.raw('insert into dataset_parts (dataset_id, seq, bytes) values (1, 0, ?)', [Buffer.from(CSV)]);
  await db.raw(`insert into snapshots (root_hash) values ('x')`);
  await db.raw(`insert into logs (name, format, state) values ('l', 'combined', 'ready')`);
  await db.raw(
    `insert into replays (log_id, snapshot_id, dataset_id, state, requests) values (1, 1, 1, 'done', 1), (1, 1, null, 'done', 1)`,
  );
  await migrate(db);
});
afterAll(async () => {
  await db.destroy();
  await database.drop();
});

describe('a database from before there were datasets of every kind', () => {
  it('keeps its country table, which was stored as text, and answers from it', async () => {
    const datasets = new Datasets(db);
    const { referenceData: referenceData } = await new ReferenceSnapshots(db, datasets).loadCurrent();
    expect(referenceData.countries!.countryOf(parseAddress('198.19.4.7')!)).toBe('SE');
    expect((await DatasetModel.query(db))[0]!.stats).toEqual({ numEntries: 2, numRejected: 0, problems: [] });
  });

  it('keeps what its replays depend on, also where that was nothing', async () => {
    const referenceSnapshots = new ReferenceSnapshots(db, new Datasets(db));
    const replays = await ReplayModel.query(db).orderBy('id');
    const countries = await Promise.all(
      replays.map(async (replay) => (await referenceSnapshots.pinned(replay.referenceHash)).country?.name),
    );
    expect(countries).toEqual(['old.csv', undefined]);
    expect((await referenceSnapshots.load(replays[1]!.referenceHash)).referenceData).toEqual({});
  });

  it('can go back', async () => {
    await db.transaction(async (trx) => {
      await names.down(trx);
      await safety.down(trx);
      await comparisons.down(trx);
      await logLayouts.down(trx);
      await logSegments.down(trx);
      await referenceData.down(trx);
    });
    const { rows } = await db.raw('select dataset_id from replays order by id');
    expect(rows).toEqual([{ dataset_id: 1 }, { dataset_id: null }]);
  });
});
