import type { Knex } from 'knex';

/**
 * Occasions by each person's own clocks: one row a zone, and one under no zone for everybody else, which says whose zones have rows of
 * their own.
 */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    alter table flow_occasions add column zone text not null default '', add column zones text[] not null default '{}';
    alter table flow_occasions drop constraint flow_occasions_pkey, add primary key (flow_id, trigger, zone);
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}
