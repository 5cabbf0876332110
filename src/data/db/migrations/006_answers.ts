import type { Knex } from 'knex';

/** What runs wait for has an answer, which they carry; events that flows record are told from those that were told to us. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    alter table runs add column wait_from timestamptz, add column answers jsonb;
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}
