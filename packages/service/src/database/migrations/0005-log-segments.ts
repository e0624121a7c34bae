import type { Knex } from 'knex';

/** Chunks that share the dictionaries of their columns. Earlier chunks keep theirs, each a separate segment. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    alter table log_chunks add column segment integer;
    update log_chunks set segment = chunk;
    alter table log_chunks alter column segment set not null;
    create table log_dictionaries (
      log_id bigint not null, chunk integer not null, column_name text not null, bytes bytea not null,
      primary key (log_id, chunk, column_name),
      foreign key (log_id, chunk) references log_chunks on delete cascade
    );
    alter table log_dictionaries alter column bytes set storage external;
  `);
}

/** @throws Error where logs came in since, which earlier releases cannot read */
export async function down(knex: Knex): Promise<void> {
  const { rows } = (await knex.raw('select distinct log_id from log_dictionaries order by log_id')) as {
    rows: { log_id: string }[];
  };
  if (rows.length > 0) {
    const logs = rows.map(({ log_id: id }) => id).join(', ');
    throw new Error(`Logs ${logs} came in after this change and cannot be kept without it. Delete them first.`);
  }
  await knex.raw('drop table log_dictionaries; alter table log_chunks drop column segment;');
}
