import type { Knex } from 'knex';

/** What is on its way counts for what anybody may still get: sends say what kind they are. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    alter table sends add column channel text not null default 'email', add column kind text not null default 'marketing';
    create index sends_on_their_way on sends (person_id) where state = 'queued';
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}
