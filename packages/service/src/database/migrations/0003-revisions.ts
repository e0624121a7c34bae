import type { Knex } from 'knex';

/**
 * Revisions, versions of the draft, and replays that remember. An entry of the draft carries the version of the draft in
 * which it last changed, so that a later write can check whether it has seen what it overwrites.
 */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    alter table drafts add column version integer not null default 1;
    create table revisions (
      number integer primary key,
      snapshot_id bigint not null references snapshots,
      note text not null,
      restored_from integer references revisions,
      is_forced boolean not null default false,
      published_by bigint references users on delete set null,
      published_at timestamptz not null default now()
    );
    insert into settings (key, value) select 'audit-unchecked-up-to', coalesce(max(id), 0)::text from audit;
    alter table replays add column revision integer references revisions;
    alter table replays add column people text not null default 'goes-on';
    create table replay_states (
      replay_id bigint not null references replays on delete cascade,
      segment integer not null, bytes bytea not null,
      primary key (replay_id, segment)
    );
    alter table replay_states alter column bytes set storage external;
  `);
}

export async function down(knex: Knex): Promise<void> {
  await knex.raw(`
    delete from settings where key = 'audit-unchecked-up-to';
    drop table replay_states;
    alter table replays drop column people, drop column revision;
    drop table revisions;
    alter table drafts drop column version;
  `);
}
