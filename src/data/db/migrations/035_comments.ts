import type { Knex } from 'knex';

/** What colleagues say to each other about flows, messages and the rest, and what each is told of. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table comments (
      id bigint generated always as identity primary key,
      -- of which kind and under which key that stands which it is about, and the part of it: a step of a flow
      kind text not null check (kind in ('flow', 'message', 'offer', 'segment')),
      key text not null,
      part text,
      text text not null,
      by_id bigint references users on delete set null,
      by_name text not null,
      at timestamptz not null,
      changed_at timestamptz,
      -- settled: nothing is left to be said of it
      done_at timestamptz,
      done_by text
    );
    create index comments_about on comments (kind, key, id);
    create table notices (
      id bigint generated always as identity primary key,
      user_id bigint not null references users on delete cascade,
      kind text not null,
      at timestamptz not null,
      says text not null,
      href text not null,
      seen_at timestamptz,
      -- what was done that it tells of: each is told once to everybody
      act_id bigint not null,
      unique (user_id, act_id)
    );
    create index notices_of on notices (user_id, id desc);
    -- how somebody wants to hear of each kind; what is left out is as it is for everybody
    alter table users add column notified jsonb not null default '{}';
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}
