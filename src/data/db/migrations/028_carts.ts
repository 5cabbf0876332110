import type { Knex } from 'knex';

/** Carts as they stood last: which of them were left, and what became of them, is asked of these and of orders. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table carts (
      person_id bigint not null,
      cart_id text not null,
      updated_at timestamptz not null,
      value_minor bigint not null,
      currency text not null,
      items jsonb not null,
      source_id int,
      primary key (person_id, cart_id)
    );
    create index carts_updated on carts (updated_at);
    create index orders_person on orders (person_id, placed_at);
  `);
  await knex.raw(CARTS_OF_EVENTS);
}

/** As events tell them; a repeat of what stands in src/data/revenue/carts.ts, as it was when this was written. */
const CARTS_OF_EVENTS = `
  insert into carts (person_id, cart_id, updated_at, value_minor, currency, items, source_id)
  select distinct on (e.person_id, left(e.properties ->> 'cartId', 200)) e.person_id, left(e.properties ->> 'cartId', 200), e.time,
    case when jsonb_typeof(e.properties -> 'value') = 'number' then least(1e15, greatest(0, round((e.properties ->> 'value')::numeric * 100)))::bigint
      else 0 end,
    coalesce(e.properties ->> 'currency', (select currency from store)),
    case when jsonb_typeof(e.properties -> 'items') = 'array' then e.properties -> 'items' else '[]' end, e.source_id
  from events e where e.type = 'cart.updated' and jsonb_typeof(e.properties -> 'cartId') = 'string' and exists (select 1 from store)
  order by e.person_id, left(e.properties ->> 'cartId', 200), e.time desc, e.id desc on conflict do nothing`;

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}
