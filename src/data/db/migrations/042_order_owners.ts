import type { Knex } from 'knex';

/**
 * Refunds and cancellations that arrive before their order wait for it. Where several people have an order because it was sent
 * again with another address, its events go to the person named by the latest, and the ledger of everyone is computed again.
 * Locks: the rows of events that move.
 */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table waiting_order_events (
      id bigint generated always as identity primary key,
      order_id text not null,
      event_key uuid not null unique,
      source_id int not null,
      starts_nothing boolean not null,
      received_at timestamptz not null,
      event jsonb not null
    );
    create index waiting_order_events_order on waiting_order_events (order_id);
    create index waiting_order_events_source on waiting_order_events (source_id);
    create index waiting_order_events_received on waiting_order_events (received_at);
    with shared as (
      select order_id from orders where placed_at is not null group by 1 having count(*) > 1
    ), placements as (
      select e.person_id, o.order_id, e.source, e.time, e.event_id
      from shared d join orders o using (order_id)
        join events e on e.person_id = o.person_id and e.type = 'order.placed' and e.properties ->> 'orderId' = o.order_id
    ), owners as (
      select distinct on (order_id, source) order_id, source, person_id
      from placements order by order_id, source, time desc, event_id desc
    ), moved as (
      update events e set person_id = o.person_id
      from owners o join (select distinct person_id, order_id, source from placements) p using (order_id, source)
      where p.person_id <> o.person_id and e.person_id = p.person_id
        and e.type in ('order.placed', 'order.cancelled', 'order.refunded') and e.properties ->> 'orderId' = o.order_id
        and (e.source = o.source or e.type <> 'order.placed')
      returning 1
    )
    -- the rebuild visits everyone who has an order by now, also those whose orders have moved on
    insert into ledger_rebuilds (upto, began_at) select 0, now() where exists (select 1 from moved)
      on conflict (id) do update set upto = 0, began_at = now();
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}
