import type { Instant } from '@/core/time';
import { ORDER_EVENTS, type ErasedChange, type ErasedOrder, type ErasedShare, type OrderHolder, type OrderMove } from '@/core/orders';
import { query, rowsOf, type Sql } from '../db';
import { erasedOrderId } from './erasedId';

/** Order ids share this many locks, so that a large batch doesn't fill the server's lock table. */
const LOCKS = 256;
/** The class of orders among advisory locks. */
const ORDER_LOCK = 7345;

const TYPES = ORDER_EVENTS.map((type) => `'${type}'`).join(', ');

/** Locks order ids until the transaction ends, always in the same sequence, so that two events of an order never miss each other. */
export async function lockOrderIds(sql: Sql, orderIds: readonly string[]): Promise<void> {
  await query(
    sql,
    `select pg_advisory_xact_lock(${ORDER_LOCK}, bucket) from (
       select distinct abs(hashtext(id) % ${LOCKS}) as bucket from unnest(cast(:orderIds as text[])) as id order by 1) b`,
    { orderIds },
  );
}

/** Finds the stored events about these orders, with the people who have them. */
export async function findOrderHolders(sql: Sql, orderIds: readonly string[]): Promise<OrderHolder[]> {
  const rows = await query<Omit<OrderHolder, 'time'> & { ms: string }>(
    sql,
    `select o.order_id as "orderId", o.person_id as "personId", e.type, e.source, e.event_id as "eventId",
       (extract(epoch from e.time) * 1000)::bigint as ms
     from orders o
       join events e on e.person_id = o.person_id and e.type in (${TYPES}) and e.properties ->> 'orderId' = o.order_id
     where o.order_id = any(cast(:orderIds as text[]))
     order by o.order_id, e.time, e.event_id`,
    { orderIds },
  );
  return rows.map(({ ms, ...row }) => ({ ...row, time: Number(ms) }));
}

/** Moves the events of an order, as one source sent it, from one person to another. */
export async function moveOrderEvents(sql: Sql, move: OrderMove): Promise<void> {
  await query(
    sql,
    `update events set person_id = :to, via = null
     where person_id = :from and type in (${TYPES}) and properties ->> 'orderId' = :orderId
       and (source = :source or type <> 'order.placed')`,
    { ...move },
  );
}

/** Finds orders of people who were erased, by the ids that they had; locks them. */
export async function findErasedOrders(sql: Sql, orderIds: readonly string[]): Promise<Map<string, ErasedOrder>> {
  const rows = await query<ErasedOrder & { asked: string }>(
    sql,
    `select a.id as asked, o.person_id as "personId", o.order_id as "orderId", o.currency, o.is_cancelled as "isCancelled",
       o.value_minor::float8 as "valueMinor", o.discount_minor::float8 as "discountMinor", o.tax_minor::float8 as "taxMinor",
       o.shipping_minor::float8 as "shippingMinor", o.refunded_minor::float8 as "refundedMinor", o.net_minor::float8 as "netMinor",
       (extract(epoch from o.placed_at) * 1000)::float8 as "placedAt"
     from unnest(cast(:orderIds as text[])) as a (id) join orders o on o.order_id = ${erasedOrderId('a.id')}
     where o.placed_at is not null order by o.person_id, o.order_id for update of o`,
    { orderIds },
  );
  return new Map(rows.map(({ asked, ...order }) => [asked, order]));
}

/** Reads the credits of an order, by model and message. */
export const sharesOfOrder = (sql: Sql, { personId, orderId }: ErasedOrder): Promise<ErasedShare[]> =>
  query<ErasedShare>(
    sql,
    `select send_id as "sendId", model, sum(minor)::float8 as minor from credits
     where person_id = :personId and order_id = :orderId group by 1, 2 order by model, send_id`,
    { personId, orderId },
  );

const SHARES = rowsOf({ send_id: 'bigint', model: 'text', minor: 'bigint' });

/** Stores what a refund changes of an order whose person was erased: in the order's booking, or in one of its own day. */
export async function saveErasedChange(
  sql: Sql,
  order: ErasedOrder,
  change: ErasedChange,
  on: { readonly at: Instant; readonly isOwnDay: boolean },
): Promise<void> {
  const { personId, orderId, currency } = order;
  const b = { personId, orderId, at: new Date(Math.max(on.at, order.placedAt)) };
  await query(
    sql,
    `update orders set refunded_minor = :refundedMinor, net_minor = :netMinor, is_cancelled = :isCancelled
     where person_id = :personId and order_id = :orderId`,
    { personId, orderId, refundedMinor: change.refundedMinor, netMinor: change.netMinor, isCancelled: change.isCancelled },
  );
  const by = change.netMinor - order.netMinor;
  if (!by) return;
  const rows = SHARES.of(change.differences.map(({ sendId, model, minor }) => ({ send_id: sendId, model, minor })));
  if (!on.isOwnDay) {
    await query(sql, `update bookings set minor = minor + :by where person_id = :personId and order_id = :orderId and part = 0`, {
      personId,
      orderId,
      by,
    });
    await query(
      sql,
      `update credits c set minor = c.minor + r.minor from ${SHARES.sql} as r
       where c.send_id = r.send_id and c.model = r.model and c.part = 0 and c.person_id = :personId and c.order_id = :orderId`,
      { personId, orderId, rows },
    );
    return;
  }
  await query(
    sql,
    `with booked as (
       insert into bookings (person_id, order_id, part, minor, currency, at)
       select :personId, :orderId, coalesce(max(part) + 1, 0), :by, :currency, cast(:at as timestamptz)
       from bookings where person_id = :personId and order_id = :orderId returning part
     )
     insert into credits (person_id, order_id, send_id, model, part, flow_id, step_id, because, minor, currency, placed_at)
     select c.person_id, c.order_id, c.send_id, c.model, b.part, c.flow_id, c.step_id, c.because, r.minor, c.currency, cast(:at as timestamptz)
     from booked b cross join ${SHARES.sql} as r
       join credits c on c.send_id = r.send_id and c.model = r.model and c.part = 0 and c.person_id = :personId and c.order_id = :orderId
     where r.minor <> 0`,
    { ...b, by, currency, rows },
  );
}

/** An order event that waits for its order: as it was parsed, and how it came in. */
export interface WaitingEvent {
  readonly sourceId: number;
  /** it is history: it starts no flow, however recent it is */
  readonly startsNothing: boolean;
  readonly event: unknown;
}

const WAITING = rowsOf({ order_id: 'text', event_key: 'text', source_id: 'int', starts_nothing: 'boolean', event: 'jsonb' });

/** Keeps refunds and cancellations that name nobody until their order arrives. Returns the keys of those that are new. */
export async function keepWaiting(
  sql: Sql,
  events: readonly (WaitingEvent & { readonly orderId: string; readonly key: string })[],
  now: Instant,
): Promise<Set<string>> {
  if (!events.length) return new Set();
  const rows = await query<{ event_key: string }>(
    sql,
    `insert into waiting_order_events (order_id, event_key, source_id, starts_nothing, received_at, event)
     select distinct on (event_key) order_id, cast(event_key as uuid), source_id, starts_nothing, cast(:now as timestamptz), event
     from ${WAITING.sql} as r
     where not exists (select 1 from event_keys k where k.key = cast(r.event_key as uuid))
     order by event_key on conflict (event_key) do nothing returning event_key`,
    {
      now: new Date(now),
      rows: WAITING.ofAnything(
        events.map(({ orderId, key, sourceId, startsNothing, event }) => ({
          order_id: orderId,
          event_key: key,
          source_id: sourceId,
          starts_nothing: startsNothing,
          event,
        })),
      ),
    },
  );
  return new Set(rows.map((row) => row.event_key));
}

/** Takes the events that wait for orders which have arrived. */
export const takeWaiting = (sql: Sql, orderIds: readonly string[]): Promise<WaitingEvent[]> =>
  query<WaitingEvent>(
    sql,
    `delete from waiting_order_events where order_id = any(cast(:orderIds as text[]))
     returning source_id as "sourceId", starts_nothing as "startsNothing", event`,
    { orderIds },
  );

/** Counts the events of a source that wait for their orders. */
export async function countWaiting(sql: Sql, sourceId: number): Promise<number> {
  const [row] = await query<{ count: number }>(sql, 'select count(*)::int as count from waiting_order_events where source_id = :sourceId', {
    sourceId,
  });
  return row!.count;
}

/** How long a refund or cancellation waits for its order. */
const WAITS_FOR = '180 days';

/** Deletes what has waited too long for an order. */
export async function forgetWaiting(sql: Sql, now: Instant): Promise<void> {
  await query(sql, `delete from waiting_order_events where received_at < cast(:now as timestamptz) - interval '${WAITS_FOR}'`, {
    now: new Date(now),
  });
}
