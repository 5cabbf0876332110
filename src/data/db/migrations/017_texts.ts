import type { Knex } from 'knex';

/** Links in text messages: short ones of our own, each for one send and one address. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table short_links (
      code text primary key,
      person_id bigint not null,
      send_id bigint not null,
      url text not null,
      at timestamptz not null
    );
    create index short_links_person on short_links (person_id);
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}
