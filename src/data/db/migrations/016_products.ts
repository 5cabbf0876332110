import type { Knex } from 'knex';

/** Products: told by the shop, or learned from the items of events; how they change, and who is still to be told of it. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table products (
      sku text primary key,
      name text not null,
      price_minor bigint,
      compare_minor bigint,
      currency text not null,
      url text,
      image text,
      categories text[] not null default '{}',
      stock bigint,
      attributes jsonb not null default '{}',
      -- by the shop itself; what is only learned from events never overrules it
      is_told boolean not null,
      changed_at timestamptz not null
    );
    create index products_name on products (lower(name));

    -- what came to be with a product that flows can start by
    create table product_changes (
      id bigint generated always as identity primary key,
      at timestamptz not null,
      type text not null,
      sku text not null,
      product jsonb not null,
      was bigint not null,
      "is" bigint not null
    );
    create index product_changes_at on product_changes (at);

    -- of which change a flow's people are still to be told, and up to which person they have been
    create table product_tellings (
      change_id bigint not null references product_changes (id),
      flow_id int not null,
      trigger text not null,
      told_to bigint not null default 0,
      primary key (change_id, flow_id, trigger)
    );

    alter table arrivals add column products jsonb;
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}
