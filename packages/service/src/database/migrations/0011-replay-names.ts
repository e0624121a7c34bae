import type { Knex } from 'knex';

/** Names that users give to replays. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw('alter table replays add column name text');
}

export async function down(knex: Knex): Promise<void> {
  await knex.raw('alter table replays drop column name');
}
