import type { Knex } from 'knex';

/** What a log holds, found while it is imported. Logs from before have none. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw('alter table logs add column survey json');
}

export async function down(knex: Knex): Promise<void> {
  await knex.raw('alter table logs drop column survey');
}
