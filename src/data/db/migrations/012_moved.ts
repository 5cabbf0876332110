import type { Knex } from 'knex';

/** Runs can be moved to another version: what they have done already they do not do again. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    alter table runs add column passed text[];
    create index runs_id on runs (id);
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}
