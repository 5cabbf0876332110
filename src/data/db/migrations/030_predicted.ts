import type { Knex } from 'knex';

/** How far the weekly reckoning has come, and how likely somebody is to buy within a year. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    -- whom it has come to, by number; null once it has come to everybody
    alter table prediction_fits add column upto bigint;
    alter table predictions add column chance_year double precision not null default 0;
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}
