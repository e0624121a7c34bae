import type { Knex } from 'knex';

/** The latest writes of the draft, so that each user can take theirs back. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table draft_steps (
      id bigserial primary key,
      draft_id bigint not null references drafts (id) on delete cascade,
      user_id bigint references users (id) on delete set null,
      summary text not null,
      step jsonb not null,
      is_undone boolean not null default false,
      created_at timestamptz not null default now()
    );
    create index draft_steps_of_user on draft_steps (draft_id, user_id, id);
  `);
}

export async function down(knex: Knex): Promise<void> {
  await knex.raw('drop table draft_steps');
}
