import { allocate, toMinor } from '@/core/money';
import { isOrderEvent } from '@/core/orders';
import { bookingsOf, type RevenueSettings } from '@/core/revenue';
import type { Instant } from '@/core/time';
import type { Sql } from '@/data/db';
import {
  bookErased,
  findErasedOrders,
  findOrderHolders,
  lockOrderIds,
  sharesOfOrder,
  takeWaiting,
  type ErasedOrder,
  type OrderHolder,
} from '@/data/revenue';
import type { ParsedEvent } from './parse';

/**
 * Whose an order is. An order id of a source is one order, owned by one person at a time: the one whom the latest `order.placed`
 * names (by time, then by event id), so the order in which events arrive makes no difference. A refund or cancellation goes to the
 * order first, and only without one to the person it names. What other sources call by the same id is an order of its own.
 */

const orderIdIn = (event: ParsedEvent): string => String(event.properties.orderId);

/** An order as a source sent it, and who has it. */
interface Holding {
  personId: string;
  source: string;
  /** the latest `order.placed`; null while only what was paid back is known */
  placed: { readonly time: Instant; readonly eventId: string } | null;
  /** events of this batch that go to this order */
  readonly events: number[];
}

/** The orders that a batch is about: locked, with those who have them now. */
export interface OrdersKnown {
  readonly holders: readonly OrderHolder[];
  readonly erased: ReadonlyMap<string, ErasedOrder>;
  /** what waited for orders of this batch */
  readonly waiting: readonly { readonly sourceId: number; readonly event: ParsedEvent }[];
}

const NONE: OrdersKnown = { holders: [], erased: new Map(), waiting: [] };

/** Locks the orders that events are about and reads who has them; takes what has waited for those that have arrived. */
export async function readOrders(trx: Sql, events: readonly ParsedEvent[]): Promise<OrdersKnown> {
  const about = events.filter(({ type }) => isOrderEvent(type));
  if (!about.length) return NONE;
  const ids = [...new Set(about.map(orderIdIn))];
  await lockOrderIds(trx, ids);
  const placed = [...new Set(about.filter(({ type }) => type === 'order.placed').map(orderIdIn))];
  const [holders, erased, waiting] = [
    await findOrderHolders(trx, ids),
    placed.length < ids.length ? await findErasedOrders(trx, ids) : NONE.erased,
    placed.length ? await takeWaiting(trx, placed) : [],
  ];
  return { holders, erased, waiting: waiting.map(({ sourceId, event }) => ({ sourceId, event: event as ParsedEvent })) };
}

const isLater = (a: NonNullable<Holding['placed']>, b: Holding['placed']): boolean =>
  b === null || a.time > b.time || (a.time === b.time && a.eventId > b.eventId);

/** The orders of an id, one for each source that placed it; what was paid back of none is one more. */
function holdingsOf(holders: readonly OrderHolder[], current: (personId: string) => string): Map<string, Holding[]> {
  const byId = new Map<string, Holding[]>();
  const listOf = (orderId: string) => {
    let list = byId.get(orderId);
    if (!list) byId.set(orderId, (list = []));
    return list;
  };
  for (const { orderId, personId, type, source, time, eventId } of holders) {
    if (type !== 'order.placed') continue;
    const list = listOf(orderId);
    const known = list.find((one) => one.source === source);
    const placed = { time, eventId };
    if (!known) list.push({ personId: current(personId), source, placed, events: [] });
    else if (isLater(placed, known.placed)) Object.assign(known, { personId: current(personId), placed });
  }
  for (const { orderId, personId, type, source } of holders) {
    if (type === 'order.placed') continue;
    const list = listOf(orderId);
    if (!list.length) list.push({ personId: current(personId), source, placed: null, events: [] });
  }
  return byId;
}

/** What happens to the order events of a batch: to whom each goes, and which events go from one person to another. */
export interface OrdersAssigned {
  /** by the place of the event in the batch; those that are about no order are left out */
  readonly owners: ReadonlyMap<number, string>;
  readonly moves: readonly { readonly orderId: string; readonly source: string; readonly from: string; readonly to: string }[];
}

/**
 * Decides whose the order events of a batch are.
 * @param named whom each event names, in order; null where it names nobody
 * @param current who a person is by now: two who are merged in this batch are one
 */
export function assignOrders(
  events: readonly ParsedEvent[],
  named: readonly (string | null)[],
  holders: readonly OrderHolder[],
  current: (personId: string) => string,
): OrdersAssigned {
  const byId = holdingsOf(holders, current);
  const moves: { orderId: string; source: string; from: string; to: string }[] = [];
  const unowned: { index: number; event: ParsedEvent }[] = [];
  const giveTo = (holding: Holding, to: string, orderId: string, source: string) => {
    if (holding.personId === to) return;
    moves.push({ orderId, source, from: holding.personId, to });
    holding.personId = to;
  };
  events.forEach((event, index) => {
    if (event.type !== 'order.placed') {
      if (isOrderEvent(event.type)) unowned.push({ index, event });
      return;
    }
    const orderId = orderIdIn(event);
    const person = named[index];
    if (person === null || person === undefined) return;
    let list = byId.get(orderId);
    if (!list) byId.set(orderId, (list = []));
    const placed = { time: event.time, eventId: event.id };
    const known = list.find((one) => one.source === event.source || one.placed === null);
    if (!known) {
      list.push({ personId: person, source: event.source, placed, events: [index] });
      return;
    }
    known.events.push(index);
    if (!isLater(placed, known.placed)) return;
    giveTo(known, person, orderId, known.placed ? known.source : event.source);
    Object.assign(known, { source: event.source, placed });
  });
  // what was paid back, once it is known which orders there are
  for (const { index, event } of unowned) {
    const orderId = orderIdIn(event);
    const list = byId.get(orderId) ?? [];
    const person = named[index] ?? null;
    const own =
      list.find((one) => one.placed !== null && one.source === event.source) ??
      list.find((one) => one.personId === person) ??
      list.toSorted((a, b) => (b.placed?.time ?? -Infinity) - (a.placed?.time ?? -Infinity))[0];
    if (own) own.events.push(index);
    else if (person !== null) byId.set(orderId, [{ personId: person, source: event.source, placed: null, events: [index] }]);
  }
  const owners = new Map<number, string>();
  for (const list of byId.values()) for (const { personId, events: own } of list) for (const index of own) owners.set(index, personId);
  return { owners, moves };
}

/**
 * Takes what was paid back off an order whose person was erased: its events are gone, so the booking is computed from what is kept.
 * The credits shrink in proportion, by largest remainder, so by each model they still sum to what is left.
 */
export async function refundErased(trx: Sql, order: ErasedOrder, event: ParsedEvent, settings: RevenueSettings): Promise<void> {
  const { value } = event.properties;
  const hasValue = typeof value === 'number';
  const back = hasValue ? Math.max(0, toMinor(value, order.currency)) : event.type === 'order.refunded' ? order.value_minor : 0;
  const refundedMinor = Math.min(order.value_minor, order.refunded_minor + back);
  const isCancelled = order.is_cancelled || (event.type === 'order.cancelled' && (!hasValue || refundedMinor >= order.value_minor));
  const [left] = bookingsOf(
    {
      placedAt: order.placed_ms,
      valueMinor: order.value_minor,
      discountMinor: order.discount_minor,
      taxMinor: order.tax_minor,
      shippingMinor: order.shipping_minor,
      paidBack: refundedMinor ? [{ at: event.time, minor: refundedMinor }] : [],
      cancelledAt: isCancelled ? event.time : null,
    },
    { ...settings, paidBack: 'on-order' },
  );
  // an order that was counted in another way before it was erased never grows by a refund
  const netMinor = Math.min(order.net_minor, left!.minor);
  const shares = await sharesOfOrder(trx, order);
  const models = new Map<string, typeof shares>();
  for (const share of shares) models.set(share.model, [...(models.get(share.model) ?? []), share]);
  const differences = [...models.values()].flatMap((own) => {
    const weights = own.map(({ minor }) => Math.max(0, minor));
    if (!weights.some(Boolean)) return [];
    const now = allocate(netMinor, weights);
    return own.map((share, index) => ({ ...share, minor: now[index]! - share.minor }));
  });
  const on = { at: event.time, isOwnPart: settings.paidBack !== 'on-order' };
  await bookErased(trx, order, { refundedMinor, netMinor, isCancelled }, on, differences);
}
