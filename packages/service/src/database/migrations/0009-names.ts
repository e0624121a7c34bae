import type { Knex } from 'knex';

/** Columns get the names that the code and the API use. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    alter table replays rename column people to held;
    alter table replays rename column world_hash to reference_hash;
    alter table replays rename column so_far to partial;
    alter table replays alter column held set default 'continue';
    update replays set held = case held when 'stays-out' then 'stop' else 'continue' end;
  `);
}

export async function down(knex: Knex): Promise<void> {
  await knex.raw(`
    update replays set held = case held when 'stop' then 'stays-out' else 'goes-on' end;
    alter table replays alter column held set default 'goes-on';
    alter table replays rename column partial to so_far;
    alter table replays rename column reference_hash to world_hash;
    alter table replays rename column held to people;
  `);
}
