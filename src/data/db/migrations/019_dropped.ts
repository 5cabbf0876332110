import type { Knex } from 'knex';

/** What fell due during a pause can be let pass: a run is marked until it comes to its next wait. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw('alter table runs add column drops_due boolean not null default false');
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}
