import type { Knex } from 'knex';

/** How often files are fetched from letters; senders that grow day by day. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    alter table files add column downloads int not null default 0;

    -- the letter that asks for the click of a double opt-in, in place of the program's own
    alter table lists add column confirmation jsonb;

    -- what one costs the shop
    alter table products add column cost_minor bigint;

    -- how a sender grows that mail servers do not know yet; '' is the store's own
    create table warm_ups (
      sender text primary key,
      plan jsonb not null,
      began_on date not null
    );
    -- how many letters of it were handed over on a day
    create table sender_days (
      sender text not null references warm_ups on delete cascade,
      day date not null,
      handed int not null,
      primary key (sender, day)
    );
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}
