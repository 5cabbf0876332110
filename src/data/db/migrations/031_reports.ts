import type { Knex } from 'knex';

/** Reports of one's own: what they show, by which link they are shared, and when they go out next. And messages by the day they went out. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table reports (
      id int generated always as identity primary key,
      key text not null unique,
      document jsonb not null,
      revision int not null default 1,
      -- whoever knows it may read the report; null: nobody
      link text unique,
      next_at timestamptz,
      sent_at timestamptz,
      created_at timestamptz not null,
      created_by text not null,
      changed_at timestamptz not null,
      changed_by text not null
    );
    create index reports_next on reports (next_at) where next_at is not null;
    create index sends_sent on sends using brin (sent_at);
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}
