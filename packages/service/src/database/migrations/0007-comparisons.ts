import type { Knex } from 'knex';

/** Comparisons of two replays; replays of a span of time, that can be cancelled, and that go on after a restart. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    alter table replays drop constraint replays_state_check;
    alter table replays add check (state in ('waiting', 'running', 'done', 'failed', 'cancelled'));
    alter table replays add column from_ms bigint;
    alter table replays add column to_ms bigint;
    alter table replays add column folder text;
    alter table replays add column so_far jsonb;
    create table replay_checkpoints (
      replay_id bigint primary key references replays on delete cascade,
      bytes bytea not null
    );
    alter table replay_checkpoints alter column bytes set storage external;
    create table comparisons (
      id bigint generated always as identity primary key,
      before_id bigint not null references replays on delete cascade,
      after_id bigint not null references replays on delete cascade,
      state text not null check (state in ('waiting', 'running', 'done', 'failed')),
      failure text, result json,
      started_by bigint references users on delete set null,
      started_at timestamptz not null default now()
    );
    create index comparisons_before on comparisons (before_id);
    create index comparisons_after on comparisons (after_id);
  `);
}

/** Replays of a span, those against a folder, and those that were cancelled are lost: earlier releases cannot interpret them. */
export async function down(knex: Knex): Promise<void> {
  await knex.raw(`
    drop table comparisons;
    drop table replay_checkpoints;
    delete from replays where state = 'cancelled' or from_ms is not null or to_ms is not null or folder is not null;
    alter table replays drop column from_ms, drop column to_ms, drop column folder, drop column so_far;
    alter table replays drop constraint replays_state_check;
    alter table replays add check (state in ('waiting', 'running', 'done', 'failed'));
  `);
}
