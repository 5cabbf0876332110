import type { Knex } from 'knex';

/** What ingest asks of each person's runs and identifiers, near at hand however many they have. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    -- a person's runs in a flow under a key, found in one look; armed at most once each
    create unique index runs_key on runs (person_id, flow_id, key, (case when phase = 'armed' then 0 else id end));
    drop index runs_armed;
    -- those that an event may wake
    create index runs_open on runs (person_id) where phase in ('inside', 'watching');
    -- flows are never deleted: looking up, and locking, the same flow for each run that is armed buys nothing
    alter table runs drop constraint runs_flow_id_fkey;
    -- identifiers are told apart byte by byte
    alter table identifiers alter column kind type text collate "C", alter column value type text collate "C";
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}
