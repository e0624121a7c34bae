import type { Knex } from 'knex';

/** How a log was read, the files that it was merged from, and where it ends too early. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    alter table logs add column layout jsonb not null default '{}';
    alter table logs add column files jsonb not null default '[]';
    alter table logs add column incomplete text;
    alter table log_rejects add column file text not null default '';
    alter table log_rejects drop constraint log_rejects_pkey;
    alter table log_rejects add primary key (log_id, file, line);
  `);
}

/** @throws Error where logs of several files came in since, whose rejected lines earlier releases cannot keep */
export async function down(knex: Knex): Promise<void> {
  const { rows } = (await knex.raw(`select id from logs where files <> '[]' order by id`)) as {
    rows: { id: string }[];
  };
  if (rows.length > 0) {
    const logs = rows.map(({ id }) => id).join(', ');
    throw new Error(`Logs ${logs} are of several files and cannot be kept without this change. Delete them first.`);
  }
  await knex.raw(`
    alter table log_rejects drop constraint log_rejects_pkey;
    alter table log_rejects drop column file;
    alter table log_rejects add primary key (log_id, line);
    alter table logs drop column layout, drop column files, drop column incomplete;
  `);
}
