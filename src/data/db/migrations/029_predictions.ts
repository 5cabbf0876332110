import type { Knex } from 'knex';

/** What is expected of people: whether they still buy, how many orders, how much, and when next; and by which fit. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table predictions (
      person_id bigint primary key,
      -- how likely they still buy, orders expected in 90 days, what an order is expected to come to and what a year is, in minor units
      active real not null,
      orders_90 real not null,
      order_minor bigint not null,
      year_minor bigint not null,
      -- by when the next order is as likely as not; null where that is more than two years away
      next_at timestamptz
    );
    create index predictions_year on predictions (year_minor desc);
    create table prediction_fits (
      id bigint generated always as identity primary key,
      at timestamptz not null,
      buying jsonb not null,
      value jsonb not null,
      people int not null,
      -- how it was held against what people did after it was fitted
      held jsonb
    );
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}
