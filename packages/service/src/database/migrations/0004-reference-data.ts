import { createHash } from 'node:crypto';
import type { Knex } from 'knex';

/**
 * Datasets of every kind, where they come from, corrections, and passphrases. A replay pins everything it depends on besides
 * its snapshot as one object, its world.
 */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    alter table datasets drop constraint datasets_kind_check;
    alter table datasets add constraint datasets_kind_check check (kind in ('country', 'category', 'list'));
    drop index datasets_active;
    create unique index datasets_active on datasets (kind, (case kind when 'country' then '' else name end)) where is_active;
    alter table datasets
      add column state text not null default 'settled' check (state in ('checking', 'settled')),
      add column built_at timestamptz,
      add column waits_for text,
      add column effect jsonb,
      add column imported_by bigint references users on delete set null;
    update datasets set stats = jsonb_build_object(
      'numEntries', stats->'numRanges', 'numRejected', jsonb_array_length(stats->'problems'), 'problems', stats->'problems');
    create table feeds (name text primary key, position integer not null);
    create table sources (
      kind text not null, name text not null,
      locations jsonb not null, options jsonb not null default '{}', every_minutes integer not null,
      validators jsonb not null default '[]',
      checked_at timestamptz, succeeded_at timestamptz, failure text,
      changed_by bigint references users on delete set null,
      primary key (kind, name)
    );
    create table corrections (
      kind text not null check (kind in ('country', 'category')), key text not null, value text not null, reason text,
      changed_by bigint references users on delete set null,
      changed_at timestamptz not null default now(),
      primary key (kind, key)
    );
    create table passphrases (
      name text primary key, hash text not null,
      changed_by bigint references users on delete set null,
      changed_at timestamptz not null default now()
    );
    alter table replays add column world_hash text references objects;
  `);
  const tables = (await knex('datasets').select('id', 'name', 'sha256')) as Record<'id' | 'name' | 'sha256', unknown>[];
  for (const { id, name, sha256 } of [...tables, { id: null, name: null, sha256: null }]) {
    const country = id === null ? null : { id: Number(id), name, sha256 };
    const body = JSON.stringify({ country, countryCorrections: [], feeds: [], categoryCorrections: [] });
    const hash = createHash('sha256').update(`world\n${body}`).digest('hex');
    await knex('objects').insert({ hash, kind: 'world', body }).onConflict('hash').ignore();
    const replays = knex('replays').update({ worldHash: hash });
    await (id === null ? replays.whereNull('datasetId') : replays.where({ datasetId: id }));
  }
  await knex.raw(`
    alter table replays alter column world_hash set not null;
    alter table replays drop column dataset_id;
  `);
}

export async function down(knex: Knex): Promise<void> {
  await knex.raw(`
    alter table replays add column dataset_id bigint references datasets;
    update replays set dataset_id = (objects.body::json #>> '{country,id}')::bigint
      from objects where objects.hash = replays.world_hash;
    alter table replays drop column world_hash;
    drop table passphrases, corrections, sources, feeds;
    delete from datasets where kind <> 'country';
    drop index datasets_active;
    update datasets set stats = jsonb_build_object('numRanges', stats->'numEntries', 'problems', stats->'problems');
    alter table datasets drop column state, drop column built_at, drop column waits_for, drop column effect, drop column imported_by;
    create unique index datasets_active on datasets (kind) where is_active;
  `);
}
