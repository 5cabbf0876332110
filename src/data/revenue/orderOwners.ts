import { createHash } from 'node:crypto';
import type { Instant } from '@/core/time';
import { query, rowsOf, type Sql } from '../db';

/** Order ids are locked by so many locks: more orders at the same moment share them. */
const LOCKS = 256;
/** Stands for orders among advisory locks. */
const ORDER_LOCK = 7345;

const TYPES = `('order.placed', 'order.cancelled', 'order.refunded')`;

/** What an order event of a person tells of whose the order is. */
export interface OrderHolder {
  readonly orderId: string;
  readonly personId: string;
  readonly type: string;
  readonly source: string;
  readonly time: Instant;
  readonly eventId: string;
}

/** Locks order ids until the transaction ends, in one order, so that two events of the same order never overlook each other. */
export async function lockOrderIds(sql: Sql, orderIds: readonly string[]): Promise<void> {
  await query(
    sql,
    `select pg_advisory_xact_lock(${ORDER_LOCK}, bucket) from (
       select distinct abs(hashtext(id) % ${LOCKS}) as bucket from unnest(cast(:orderIds as text[])) as id order by 1) b`,
    { orderIds },
  );
}

/** Finds the order events of everyone who has any of these orders. */
export async function findOrderHolders(sql: Sql, orderIds: readonly string[]): Promise<OrderHolder[]> {
  const rows = await query<{ order_id: string; person_id: string; type: string; source: string; ms: string; event_id: string }>(
    sql,
    `select o.order_id, o.person_id, e.type, e.source, (extract(epoch from e.time) * 1000)::bigint as ms, e.event_id
     from orders o join events e on e.person_id = o.person_id and e.type in ${TYPES} and e.properties ->> 'orderId' = o.order_id
     where o.order_id = any(cast(:orderIds as text[])) order by o.order_id, e.time, e.event_id`,
    { orderIds },
  );
  return rows.map((row) => ({
    orderId: row.order_id,
    personId: row.person_id,
    type: row.type,
    source: row.source,
    time: Number(row.ms),
    eventId: row.event_id,
  }));
}

/** Moves the events of an order, as a source sent it, from one person to another. */
export async function moveOrderEvents(
  sql: Sql,
  move: { readonly orderId: string; readonly source: string; readonly from: string; readonly to: string },
): Promise<void> {
  await query(
    sql,
    `update events set person_id = :to, via = null where person_id = :from and type in ${TYPES} and properties ->> 'orderId' = :orderId
       and (source = :source or type <> 'order.placed')`,
    { ...move },
  );
}

/** The id under which an order stands once its person was erased. */
export const erasedOrderId = (orderId: string): string => `erased-${createHash('sha256').update(orderId).digest('hex').slice(0, 24)}`;

/** An order of a person who was erased: what it came to is kept, its events are not. */
export interface ErasedOrder {
  readonly person_id: string;
  readonly order_id: string;
  readonly currency: string;
  readonly value_minor: number;
  readonly discount_minor: number;
  readonly tax_minor: number;
  readonly shipping_minor: number;
  readonly refunded_minor: number;
  readonly net_minor: number;
  readonly is_cancelled: boolean;
  readonly placed_ms: number;
}

/** Finds orders of people who were erased, by the ids they had; locked. */
export async function findErasedOrders(sql: Sql, orderIds: readonly string[]): Promise<Map<string, ErasedOrder>> {
  const byHash = new Map(orderIds.map((id) => [erasedOrderId(id), id]));
  const rows = await query<ErasedOrder>(
    sql,
    `select o.person_id, o.order_id, o.currency, o.value_minor::float8, o.discount_minor::float8, o.tax_minor::float8, o.shipping_minor::float8,
       o.refunded_minor::float8, o.net_minor::float8, o.is_cancelled, (extract(epoch from o.placed_at) * 1000)::float8 as placed_ms
     from orders o where o.order_id = any(cast(:hashes as text[])) and o.placed_at is not null order by o.person_id, o.order_id for update`,
    { hashes: [...byHash.keys()] },
  );
  return new Map(rows.map((row) => [byHash.get(row.order_id)!, row]));
}

/** A share that a message has in an order, all parts together. */
export interface ErasedShare {
  readonly send_id: string;
  readonly model: string;
  readonly minor: number;
}

/** The credits of an order, by model and message. */
export const sharesOfOrder = (sql: Sql, { person_id: personId, order_id: orderId }: ErasedOrder): Promise<ErasedShare[]> =>
  query<ErasedShare>(
    sql,
    `select send_id, model, sum(minor)::float8 as minor from credits where person_id = :personId and order_id = :orderId
     group by 1, 2 order by model, send_id`,
    { personId, orderId },
  );

const SHARES = rowsOf({ send_id: 'bigint', model: 'text', minor: 'bigint' });

/**
 * Books what was taken off an order of a person who was erased: on the order itself, or on the day when it was paid back.
 * `shares` are the differences of the credits, by model and message.
 */
export async function bookErased(
  sql: Sql,
  order: ErasedOrder,
  is: { readonly refundedMinor: number; readonly netMinor: number; readonly isCancelled: boolean },
  on: { readonly at: Instant; readonly isOwnPart: boolean },
  shares: readonly ErasedShare[],
): Promise<void> {
  const b = { personId: order.person_id, orderId: order.order_id };
  await query(
    sql,
    `update orders set refunded_minor = :refunded, net_minor = :net, is_cancelled = :isCancelled where person_id = :personId and order_id = :orderId`,
    { ...b, refunded: is.refundedMinor, net: is.netMinor, isCancelled: is.isCancelled },
  );
  const by = is.netMinor - order.net_minor;
  if (!by) return;
  const [row] = await query<{ part: number }>(
    sql,
    on.isOwnPart
      ? `insert into bookings (person_id, order_id, part, minor, currency, at)
         select :personId, :orderId, coalesce(max(part) + 1, 0), :by, :currency, cast(:at as timestamptz)
         from bookings where person_id = :personId and order_id = :orderId returning part`
      : `update bookings set minor = minor + :by where person_id = :personId and order_id = :orderId and part = 0 returning part`,
    { ...b, by, currency: order.currency, at: new Date(Math.max(on.at, order.placed_ms)) },
  );
  const part = row?.part ?? 0;
  const rows = SHARES.of(shares);
  if (on.isOwnPart)
    await query(
      sql,
      `insert into credits (person_id, order_id, send_id, model, part, flow_id, step_id, because, minor, currency, placed_at)
       select c.person_id, c.order_id, c.send_id, c.model, :part, c.flow_id, c.step_id, c.because, r.minor, c.currency, cast(:at as timestamptz)
       from ${SHARES.sql} as r join credits c on c.send_id = r.send_id and c.model = r.model and c.part = 0
         and c.person_id = :personId and c.order_id = :orderId where r.minor <> 0`,
      { ...b, rows, part, at: new Date(Math.max(on.at, order.placed_ms)) },
    );
  else
    await query(
      sql,
      `update credits c set minor = c.minor + r.minor from ${SHARES.sql} as r
       where c.send_id = r.send_id and c.model = r.model and c.part = 0 and c.person_id = :personId and c.order_id = :orderId`,
      { ...b, rows },
    );
}

/** An order event that waits for its order: as it was parsed, and through which source it came. */
export interface WaitingEvent {
  readonly orderId: string;
  readonly key: string;
  readonly sourceId: number;
  readonly event: unknown;
}

const WAITING = rowsOf({ order_id: 'text', event_key: 'text', source_id: 'int', event: 'jsonb' });

/** Keeps refunds and cancellations that name nobody until their order arrives. Returns the keys of those that are new. */
export async function keepWaiting(sql: Sql, events: readonly WaitingEvent[], now: Instant): Promise<Set<string>> {
  if (!events.length) return new Set();
  const rows = await query<{ event_key: string }>(
    sql,
    `insert into waiting_order_events (order_id, event_key, source_id, received_at, event)
     select distinct on (event_key) order_id, cast(event_key as uuid), source_id, cast(:now as timestamptz), event from ${WAITING.sql} as r
     where not exists (select 1 from event_keys k where k.key = cast(r.event_key as uuid))
     order by event_key on conflict (event_key) do nothing returning event_key`,
    {
      now: new Date(now),
      rows: WAITING.ofAnything(
        events.map((one) => ({ order_id: one.orderId, event_key: one.key, source_id: one.sourceId, event: one.event })),
      ),
    },
  );
  return new Set(rows.map((row) => row.event_key));
}

/** Takes what waits for orders that have arrived. */
export async function takeWaiting(sql: Sql, orderIds: readonly string[]): Promise<{ sourceId: number; event: unknown }[]> {
  return query(
    sql,
    `delete from waiting_order_events where order_id = any(cast(:orderIds as text[])) returning source_id as "sourceId", event`,
    { orderIds },
  );
}

/** How long what names no known order waits for it. */
const WAITS_FOR = '180 days';

/** Forgets what has waited too long for an order. Returns how many events that were. */
export const forgetWaiting = async (sql: Sql, now: Instant): Promise<number> =>
  (
    await query(
      sql,
      `delete from waiting_order_events where received_at < cast(:now as timestamptz) - interval '${WAITS_FOR}' returning 1`,
      {
        now: new Date(now),
      },
    )
  ).length;
