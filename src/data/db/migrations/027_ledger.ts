import type { Knex } from 'knex';

/**
 * Credits by several models, and amounts that count at different moments: an order is booked in parts, which sum to what is left of it.
 * What stood before is the first model's, booked on the day of the order; the others are computed by a rebuild.
 */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    alter table orders add column tax_minor bigint not null default 0, add column shipping_minor bigint not null default 0,
      -- what is left of it, of what the store counts
      add column net_minor bigint not null default 0;
    update orders set net_minor = case when is_cancelled then 0 else greatest(0, value_minor - refunded_minor) end;

    create table bookings (
      person_id bigint not null,
      order_id text not null,
      part smallint not null,
      minor bigint not null,
      currency text not null,
      at timestamptz not null,
      primary key (person_id, order_id, part)
    );
    insert into bookings select person_id, order_id, 0, net_minor, currency, placed_at from orders where placed_at is not null;
    create index bookings_at on bookings (at);

    alter table credits add column part smallint not null default 0, drop constraint credits_pkey,
      add primary key (person_id, order_id, model, send_id, part);
    drop index credits_placed;
    create index credits_placed on credits (model, placed_at);

    -- what the nightly check of the ledger has found
    create table ledger_checks (
      id bigint generated always as identity primary key,
      at timestamptz not null,
      orders int not null,
      differences jsonb not null,
      took_ms int not null
    );
    -- whom a rebuild of the ledger has come to, and for which settings; a row while it is under way
    create table ledger_rebuilds (
      id int primary key default 1 check (id = 1),
      upto bigint not null default 0,
      began_at timestamptz not null
    );
    insert into ledger_rebuilds (began_at) select now() where exists (select 1 from orders);
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}
