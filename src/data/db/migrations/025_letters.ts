import type { Knex } from 'knex';

/** How letters look, the library, feeds that letters show, what is bought together, and which conditions held as a message was let go. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table brands (
      key text primary key,
      document jsonb not null,
      -- the one that letters are set in which name none
      is_first boolean not null default false,
      changed_at timestamptz not null,
      changed_by text not null
    );
    create unique index brands_first on brands (is_first) where is_first;

    create table library (
      key text primary key,
      name text not null,
      -- a message, or blocks that are put into others
      kind text not null check (kind in ('message', 'blocks')),
      document jsonb not null,
      tags text[] not null default '{}',
      revision int not null default 1,
      archived_at timestamptz,
      changed_at timestamptz not null,
      changed_by text not null
    );
    create table library_versions (
      key text not null references library on delete cascade,
      revision int not null,
      name text not null,
      document jsonb not null,
      at timestamptz not null,
      by text not null,
      primary key (key, revision)
    );

    create table feeds (
      key text primary key,
      name text not null,
      url text not null,
      every_minutes int not null default 60,
      entries jsonb not null default '[]',
      title text,
      read_at timestamptz,
      tried_at timestamptz,
      problem text
    );

    -- in whose name letters go out
    create table senders (
      key text primary key,
      name text not null,
      address text not null,
      asked_at timestamptz,
      verified_at timestamptz
    );

    -- where products are read, and what came of it the last time
    create table product_feeds (
      key text primary key,
      name text not null,
      url text not null,
      every_minutes int not null default 360,
      mapping jsonb not null default '{}',
      fields text[] not null default '{}',
      tried_at timestamptz,
      read_at timestamptz,
      stored int,
      skipped jsonb,
      problem text
    );

    -- computed from orders: how often a product was sold on a day, and what was bought with it
    create table product_days (sku text not null, day date not null, orders int not null, units int not null, primary key (sku, day));
    create index product_days_day on product_days (day);
    create table product_pairs (
      sku text not null,
      other text not null,
      together int not null,
      -- orders with the first of them, and orders at all, in the same time
      orders int not null,
      total int not null,
      primary key (sku, other)
    );
    create table product_relations_state (id boolean primary key default true check (id), computed_at timestamptz not null);

    alter table products add column first_seen_at timestamptz not null default now();
    update products set first_seen_at = changed_at;
    alter table sends add column holds text[] not null default '{}';
    -- letters that are sent to try one out: what they are filled in with, until they have gone out
    alter table letters drop constraint letters_purpose_check,
      add constraint letters_purpose_check check (purpose in ('confirm', 'by-hand', 'note', 'test')),
      add column filled jsonb;
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}
