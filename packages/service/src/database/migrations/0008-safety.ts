import type { Knex } from 'knex';

/**
 * Leases of work that a process has under way, attempts to sign in, the use of tokens and the end of sessions. From the
 * entries that are there on, those of the audit trail are keyed.
 */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    alter table logs add column leased_until timestamptz, add column leased_by text;
    alter table replays add column leased_until timestamptz, add column leased_by text;
    alter table comparisons add column leased_until timestamptz, add column leased_by text;
    create table sign_in_attempts (
      key text primary key,
      state jsonb not null,
      quiet_from timestamptz not null
    );
    create index sign_in_attempts_quiet on sign_in_attempts (quiet_from);
    alter table tokens add column last_used_at timestamptz;
    insert into settings (key, value) select 'audit-keyed-from', (coalesce(max(id), 0) + 1)::text from audit;
  `);
}

/** Keyed entries stay; an earlier release reports that they do not fit. */
export async function down(knex: Knex): Promise<void> {
  await knex.raw(`
    delete from settings where key in ('audit-keyed-from', 'audit-head', 'audit-key-check');
    alter table tokens drop column last_used_at;
    drop table sign_in_attempts;
    alter table comparisons drop column leased_until, drop column leased_by;
    alter table replays drop column leased_until, drop column leased_by;
    alter table logs drop column leased_until, drop column leased_by;
  `);
}
