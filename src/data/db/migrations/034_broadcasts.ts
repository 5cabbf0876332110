import type { Knex } from 'knex';

/**
 * What broadcasts need beside flows: messages that a pause keeps back, occasions that are let pass or wait for a feed, and what was
 * new in a feed at each occasion.
 */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    -- let go, and kept back since the flow was paused before it went out
    alter table sends add column paused boolean not null default false;
    create index sends_paused on sends (flow_id) where paused;
    alter table flow_occasions
      -- what comes round up to here is let pass: the flow was paused
      add column passes_to timestamptz,
      -- when it is looked at again: it waits for a feed to be read
      add column try_at timestamptz;
    create table occasion_news (
      flow_id int not null,
      occasion text not null,
      at timestamptz not null,
      feed text not null,
      -- the entries that are new since the occasion before
      entries jsonb not null,
      -- whether anybody is told, or there was too little
      is_told boolean not null,
      primary key (flow_id, occasion)
    );
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}
