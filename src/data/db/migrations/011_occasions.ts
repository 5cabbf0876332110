import type { Knex } from 'knex';

/** Triggers that go by the clock: when each comes round next. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table flow_occasions (
      flow_id int not null,
      trigger text not null,
      next_at timestamptz not null,
      -- who has been told of it already: people up to this number
      told_to bigint not null default 0,
      primary key (flow_id, trigger)
    );
    create index flow_occasions_next on flow_occasions (next_at);
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}
