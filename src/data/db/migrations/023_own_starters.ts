import type { Knex } from 'knex';

/** Flows that the store begins others with. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table starters (
      key text primary key,
      name text not null,
      says text not null,
      document jsonb not null,
      at timestamptz not null,
      by text not null
    )`);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}
