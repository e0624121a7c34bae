import type { Knex } from 'knex';

/** Tables of the first slice. Bytes that are compressed already are stored outside the row and not compressed again. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table settings (key text primary key, value text not null);
    create table users (
      id bigint generated always as identity primary key,
      name text not null unique,
      password_hash text not null,
      role text not null check (role in ('viewer', 'editor', 'administrator')),
      created_at timestamptz not null default now()
    );
    create table tokens (
      id bigint generated always as identity primary key,
      user_id bigint not null references users on delete cascade,
      name text not null,
      hash text not null unique,
      scope text not null check (scope in ('viewer', 'editor', 'administrator')),
      created_at timestamptz not null default now(),
      expires_at timestamptz
    );
    create table sessions (sid varchar primary key, sess json not null, expire timestamp(6) not null);
    create index sessions_expire on sessions (expire);

    create table objects (hash text primary key, kind text not null, body text not null);
    create table snapshots (
      id bigint generated always as identity primary key,
      root_hash text not null unique,
      created_at timestamptz not null default now()
    );
    create table snapshot_entries (
      snapshot_id bigint not null references snapshots on delete cascade,
      kind text not null, owner text not null, name text not null, position integer not null,
      object_hash text not null references objects,
      primary key (snapshot_id, kind, owner, name)
    );
    create table drafts (id bigint generated always as identity primary key, name text not null unique);
    create table draft_entries (
      draft_id bigint not null references drafts on delete cascade,
      kind text not null, owner text not null, name text not null, position integer not null,
      object_hash text not null references objects,
      version integer not null default 1,
      changed_by bigint references users on delete set null,
      changed_at timestamptz not null default now(),
      primary key (draft_id, kind, owner, name)
    );
    insert into drafts (name) values ('main');

    create table datasets (
      id bigint generated always as identity primary key,
      kind text not null check (kind in ('country')),
      name text not null, sha256 text not null,
      is_active boolean not null default false,
      stats jsonb not null,
      imported_at timestamptz not null default now()
    );
    create unique index datasets_active on datasets (kind) where is_active;
    create table dataset_parts (
      dataset_id bigint not null references datasets on delete cascade,
      seq integer not null, bytes bytea not null,
      primary key (dataset_id, seq)
    );
    alter table dataset_parts alter column bytes set storage external;

    create table logs (
      id bigint generated always as identity primary key,
      name text not null, sha256 text, format text not null, host text,
      state text not null check (state in ('importing', 'ready')),
      requests bigint not null default 0,
      rejected jsonb not null default '{}',
      from_ms bigint, to_ms bigint,
      imported_at timestamptz not null default now()
    );
    create unique index logs_same_bytes on logs (sha256, host) nulls not distinct where state = 'ready';
    create table log_rejects (
      log_id bigint not null references logs on delete cascade,
      line bigint not null, reason text not null, start bytea not null,
      primary key (log_id, line)
    );
    create table log_chunks (
      log_id bigint not null references logs on delete cascade,
      chunk integer not null, row_start bigint not null, num_rows integer not null,
      from_ms bigint not null, to_ms bigint not null,
      primary key (log_id, chunk)
    );
    create table chunk_columns (
      log_id bigint not null, chunk integer not null, column_name text not null, bytes bytea not null,
      primary key (log_id, chunk, column_name),
      foreign key (log_id, chunk) references log_chunks on delete cascade
    );
    alter table chunk_columns alter column bytes set storage external;

    create table replays (
      id bigint generated always as identity primary key,
      log_id bigint not null references logs on delete cascade,
      snapshot_id bigint not null references snapshots,
      dataset_id bigint references datasets,
      gate text,
      state text not null check (state in ('waiting', 'running', 'done', 'failed')),
      requests bigint not null, requests_done bigint not null default 0,
      failure text, tally jsonb,
      started_by bigint references users on delete set null,
      started_at timestamptz not null default now()
    );
    create table replay_results (
      replay_id bigint not null references replays on delete cascade,
      code integer not null, outcome text not null, ruling json not null,
      primary key (replay_id, code)
    );
    create table replay_chunks (
      replay_id bigint not null references replays on delete cascade,
      chunk integer not null, codes bytea not null, checksum bigint not null, code_counts jsonb not null,
      primary key (replay_id, chunk)
    );
    alter table replay_chunks alter column codes set storage external;

    create table audit (
      id bigint generated always as identity primary key,
      at timestamptz not null default now(),
      user_id bigint, what text not null, detail jsonb not null,
      previous_hash text not null, hash text not null
    );
  `);
}

export async function down(): Promise<void> {
  throw new Error('The first migration is not undone; drop the database instead.');
}
