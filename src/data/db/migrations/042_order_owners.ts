import type { Knex } from 'knex';

/**
 * Refunds and cancellations that arrive before their order wait for it. Orders that stand under several people because they were sent
 * again with another address are brought together: their events go to the person whom the latest of them names, and the ledger is rebuilt.
 * Locks: rows of the events that move.
 */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table waiting_order_events (
      id bigint generated always as identity primary key,
      order_id text not null,
      event_key uuid not null unique,
      source_id int not null,
      received_at timestamptz not null,
      event jsonb not null
    );
    create index waiting_order_events_order on waiting_order_events (order_id);
    create index waiting_order_events_received on waiting_order_events (received_at);
    with doubled as (
      select order_id from orders where placed_at is not null group by 1 having count(*) > 1
    ), placements as (
      select e.person_id, o.order_id, e.source, e.time, e.event_id from doubled d join orders o using (order_id)
        join events e on e.person_id = o.person_id and e.type = 'order.placed' and e.properties ->> 'orderId' = o.order_id
    ), owners as (
      select distinct on (order_id, source) order_id, source, person_id from placements order by order_id, source, time desc, event_id desc
    ), moved as (
      update events e set person_id = o.person_id from owners o, placements p
      where p.order_id = o.order_id and p.source = o.source and p.person_id <> o.person_id and e.person_id = p.person_id
        and e.type in ('order.placed', 'order.cancelled', 'order.refunded') and e.properties ->> 'orderId' = o.order_id
        and (e.source = o.source or e.type <> 'order.placed')
      returning p.person_id, o.order_id
    ), gone as (
      delete from orders o using moved m where o.person_id = m.person_id and o.order_id = m.order_id returning o.person_id, o.order_id
    ), unbooked as (
      delete from bookings b using moved m where b.person_id = m.person_id and b.order_id = m.order_id
    ), uncredited as (
      delete from credits c using moved m where c.person_id = m.person_id and c.order_id = m.order_id
    )
    insert into ledger_rebuilds (upto, began_at) select 0, now() where exists (select 1 from moved)
      on conflict (id) do update set upto = 0, began_at = now();
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}
