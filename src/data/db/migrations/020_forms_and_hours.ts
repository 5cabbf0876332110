import type { Knex } from 'knex';

/**
 * Which form of its message a send is; and up to when one is kept back that was let go and did not get away in time, so that it does
 * not go out at an hour at which nothing does.
 */
export async function up(knex: Knex): Promise<void> {
  await knex.raw('alter table sends add column content text, add column not_before timestamptz');
  await knex.raw('create index sends_kept_back on sends (not_before) where not_before is not null');
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}
