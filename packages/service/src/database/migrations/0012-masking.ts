import type { Knex } from 'knex';

/** Tokens that show true values where fields are masked. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw('alter table tokens add column unmask boolean not null default false');
}

export async function down(knex: Knex): Promise<void> {
  await knex.raw('alter table tokens drop column unmask');
}
