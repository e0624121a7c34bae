import type { Knex } from 'knex';

/** How long bytes of delayed requests would have waited, next to the codes of their chunk. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw('alter table replay_chunks add column waits bytea');
}

export async function down(knex: Knex): Promise<void> {
  await knex.raw('alter table replay_chunks drop column waits');
}
