import type { Instant } from '@/core/time';
import type { Order } from '@/core/orders';
import type { BookedCredit, Booking, CreditModel, OrderMoney } from '@/core/revenue';
import { query, rowsOf, type Sql } from '../db';

const ORDERS = rowsOf({
  person_id: 'bigint',
  order_id: 'text',
  cart_id: 'text',
  currency: 'text',
  value_minor: 'bigint',
  discount_minor: 'bigint',
  refunded_minor: 'bigint',
  is_cancelled: 'boolean',
  placed_at: 'moment',
  codes: 'text[]',
  tax_minor: 'bigint',
  shipping_minor: 'bigint',
  net_minor: 'bigint',
});
const BOOKINGS = rowsOf({ person_id: 'bigint', order_id: 'text', part: 'int', minor: 'bigint', currency: 'text', at: 'moment' });
const OF_ORDERS = rowsOf({ person_id: 'bigint', order_id: 'text' });
const CREDITS = rowsOf({
  person_id: 'bigint',
  order_id: 'text',
  send_id: 'bigint',
  model: 'text',
  part: 'int',
  flow_id: 'int',
  step_id: 'text',
  because: 'text',
  minor: 'bigint',
  currency: 'text',
  placed_at: 'moment',
});

const TOUCHES = rowsOf({ person_id: 'bigint', at: 'moment', until: 'moment' });

/** What was paid for orders, after refunds and cancellations. */
const NET = `case when o.is_cancelled then 0 else greatest(0, o.value_minor - o.refunded_minor) end`;

/** An order as it is stored: what its events tell, and what of it counts at which moments. */
export interface OrderToSave {
  readonly personId: string;
  readonly order: Order;
  readonly money?: OrderMoney | null;
  readonly bookings?: readonly Booking[];
}

/** Stores orders and their bookings in place of what was on file of them. */
export async function saveOrders(sql: Sql, orders: readonly OrderToSave[]): Promise<void> {
  if (!orders.length) return;
  await query(
    sql,
    `insert into orders (person_id, order_id, cart_id, currency, value_minor, discount_minor, refunded_minor, is_cancelled, placed_at, codes,
       tax_minor, shipping_minor, net_minor)
     select person_id, order_id, cart_id, currency, value_minor, discount_minor, refunded_minor, is_cancelled, placed_at, codes, tax_minor,
       shipping_minor, net_minor
     from ${ORDERS.sql} as r
     on conflict (person_id, order_id) do update set cart_id = excluded.cart_id, currency = excluded.currency, value_minor = excluded.value_minor,
       discount_minor = excluded.discount_minor, refunded_minor = excluded.refunded_minor, is_cancelled = excluded.is_cancelled,
         placed_at = excluded.placed_at, codes = excluded.codes, tax_minor = excluded.tax_minor, shipping_minor = excluded.shipping_minor,
         net_minor = excluded.net_minor`,
    {
      rows: ORDERS.of(
        orders.map(({ personId, order, money, bookings = [] }) => ({
          person_id: personId,
          order_id: order.orderId,
          cart_id: order.cartId,
          currency: order.currency,
          value_minor: order.valueMinor,
          discount_minor: order.discountMinor,
          refunded_minor: order.refundedMinor,
          is_cancelled: order.isCancelled,
          placed_at: order.placedAt === null ? null : new Date(order.placedAt),
          codes: order.codes,
          tax_minor: money?.taxMinor ?? 0,
          shipping_minor: money?.shippingMinor ?? 0,
          net_minor: bookings.reduce((sum, { minor }) => sum + minor, 0),
        })),
      ),
    },
  );
  await query(sql, `delete from bookings b using ${OF_ORDERS.sql} as r where b.person_id = r.person_id and b.order_id = r.order_id`, {
    rows: OF_ORDERS.of(orders.map((r) => ({ person_id: r.personId, order_id: r.order.orderId }))),
  });
  const booked = orders.flatMap(({ personId, order, bookings = [] }) =>
    bookings.map(({ part, minor, at }) => ({
      person_id: personId,
      order_id: order.orderId,
      part,
      minor,
      currency: order.currency,
      at: new Date(at),
    })),
  );
  if (booked.length)
    await query(
      sql,
      `insert into bookings (person_id, order_id, part, minor, currency, at)
       select person_id, order_id, part, minor, currency, at from ${BOOKINGS.sql} as r`,
      { rows: BOOKINGS.of(booked) },
    );
}

/** Computes what the orders of people come to, in the store's currency, from their orders as they now stand; null for everybody. */
export async function saveStanding(sql: Sql, personIds: readonly string[] | null, currency: string): Promise<void> {
  if (personIds && !personIds.length) return;
  if (personIds)
    await query(
      sql,
      `delete from standing where person_id = any(cast(:personIds as bigint[])) and not exists (select 1 from orders o
        where o.person_id = standing.person_id and o.placed_at is not null)`,
      { personIds },
    );
  await query(
    sql,
    `insert into standing (person_id, orders, net_minor, first_at, last_at)
     select o.person_id, count(*), sum(case when o.currency <> :currency then 0 else ${NET} end), min(o.placed_at), max(o.placed_at)
     from orders o where (cast(:personIds as bigint[]) is null or o.person_id = any(cast(:personIds as bigint[]))) and o.placed_at is not null group by 1
     on conflict (person_id) do update set orders = excluded.orders, net_minor = excluded.net_minor, first_at = excluded.first_at, last_at = excluded.last_at`,
    { personIds, currency },
  );
}

/** Removes orders and credits of people before they are computed anew from what events remain. */
export async function clearOrders(sql: Sql, personIds: readonly string[]): Promise<void> {
  if (!personIds.length) return;
  for (const table of ['orders', 'bookings', 'credits', 'standing', 'carts'])
    await query(sql, `delete from ${table} where person_id = any(cast(:personIds as bigint[]))`, { personIds });
}

export interface OrderCredits extends OrderToSave {
  readonly credits: readonly (BookedCredit & { model: CreditModel; flowId: number; stepId: string })[];
}

/** Replaces the credits of orders, by all models, by what they are now. */
export async function replaceCredits(sql: Sql, rows: readonly OrderCredits[]): Promise<void> {
  if (!rows.length) return;
  await query(sql, `delete from credits c using ${OF_ORDERS.sql} as r where c.person_id = r.person_id and c.order_id = r.order_id`, {
    rows: OF_ORDERS.of(rows.map((r) => ({ person_id: r.personId, order_id: r.order.orderId }))),
  });
  const credits = rows.flatMap((r) =>
    r.credits.map((credit) => ({
      person_id: r.personId,
      order_id: r.order.orderId,
      send_id: credit.sendId,
      model: credit.model,
      part: credit.part,
      flow_id: credit.flowId,
      step_id: credit.stepId,
      because: credit.because,
      minor: credit.minor,
      currency: r.order.currency,
      placed_at: new Date(credit.at),
    })),
  );
  if (!credits.length) return;
  await query(
    sql,
    `insert into credits (person_id, order_id, send_id, model, part, flow_id, step_id, because, minor, currency, placed_at)
     select person_id, order_id, send_id, model, part, flow_id, step_id, because, minor, currency, placed_at from ${CREDITS.sql} as r`,
    { rows: CREDITS.of(credits) },
  );
}

/** Those who placed an order within a window after a moment: whose credits something of that moment can change. */
export async function withOrdersAfter(
  sql: Sql,
  touches: readonly { personId: string; at: Instant; windowMs: number }[],
): Promise<string[]> {
  if (!touches.length) return [];
  const rows = await query<{ person_id: string }>(
    sql,
    `select distinct t.person_id from ${TOUCHES.sql} as t
     where exists (select 1 from orders o where o.person_id = t.person_id and o.placed_at >= t.at and o.placed_at <= coalesce(t.until, 'infinity'))`,
    {
      rows: TOUCHES.of(
        touches.map(({ personId, at, windowMs }) => ({
          person_id: personId,
          at: new Date(at),
          until: Number.isFinite(windowMs) ? new Date(at + windowMs) : null,
        })),
      ),
    },
  );
  return rows.map((row) => row.person_id);
}
