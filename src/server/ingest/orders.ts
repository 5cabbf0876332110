import { isOrderEvent, refundErased, type OrderHolder, type OrderMention } from '@/core/orders';
import type { RevenueSettings } from '@/core/revenue';
import type { Instant } from '@/core/time';
import type { Sql } from '@/data/db';
import {
  findErasedOrders,
  findOrderHolders,
  keepWaiting,
  lockOrderIds,
  saveErasedChange,
  sharesOfOrder,
  takeWaiting,
} from '@/data/revenue';
import { claimEventKeys, eventKey } from '@/data/sources';
import type { ParsedEvent } from './parse';

/** Through which source events came in. */
export interface CameBy {
  readonly sourceId: number;
  /** history that is loaded starts no flow, however recent it is */
  readonly startsNothing?: boolean;
}

/** An event of a batch that could be read. */
export interface ReadEvent {
  readonly batch: number;
  readonly index: number;
  readonly event: ParsedEvent;
}

/** The orders that a batch is about, locked. */
export interface OrdersKnown {
  readonly holders: readonly OrderHolder[];
  /** ids of orders whose person was erased */
  readonly erased: ReadonlySet<string>;
  /** what waited for orders of this batch */
  readonly waiting: readonly { readonly cameBy: CameBy; readonly event: ParsedEvent }[];
}

const NO_ORDERS: OrdersKnown = { holders: [], erased: new Set(), waiting: [] };

/** Finds out which order an event mentions; null if it isn't about an order. */
export function mentionIn({ type, source, id, time, properties }: ParsedEvent): OrderMention | null {
  return isOrderEvent(type) ? { type, source, time, eventId: id, orderId: String(properties.orderId) } : null;
}

const isPlaced = (mention: OrderMention): boolean => mention.type === 'order.placed';

/** Whether an event names a person. */
const isSomebodys = (event: ParsedEvent): boolean => Boolean(event.externalId ?? event.email ?? event.phone ?? event.device);

/** Computes the key that makes an event unique. */
export const keyOfEvent = ({ event }: ReadEvent): string => eventKey(event.source, event.id);

/** Locks the orders that events are about and reads who has them; takes what waited for those that have arrived. */
export async function readOrders(trx: Sql, events: readonly ParsedEvent[]): Promise<OrdersKnown> {
  const mentions = events.flatMap((event) => mentionIn(event) ?? []);
  if (!mentions.length) return NO_ORDERS;
  const ids = [...new Set(mentions.map(({ orderId }) => orderId))];
  const placed = [...new Set(mentions.filter(isPlaced).map(({ orderId }) => orderId))];
  await lockOrderIds(trx, ids);
  const holders = await findOrderHolders(trx, ids);
  const live = new Set([...placed, ...holders.map(({ orderId }) => orderId)]);
  const missing = ids.filter((id) => !live.has(id));
  return {
    holders,
    erased: new Set(missing.length ? (await findErasedOrders(trx, missing)).keys() : []),
    waiting: (placed.length ? await takeWaiting(trx, placed) : []).map(({ event, ...cameBy }) => ({
      cameBy,
      event: event as ParsedEvent,
    })),
  };
}

/** The events of a batch, sorted by whose they are. */
interface SortedEvents {
  /** of a person who is named, or who has the order */
  readonly owned: readonly ReadEvent[];
  /** of nobody yet: their order hasn't arrived */
  readonly waiting: readonly ReadEvent[];
  /** about an order whose person was erased */
  readonly erased: readonly ReadEvent[];
}

/** Sorts the events of a batch by whose they are. */
export function sortByOwner(events: readonly ReadEvent[], { holders, erased }: OrdersKnown): SortedEvents {
  const live = new Set(holders.map(({ orderId }) => orderId));
  for (const { event } of events) if (event.type === 'order.placed') live.add(String(event.properties.orderId));
  const groupOf = ({ event }: ReadEvent): keyof SortedEvents => {
    const mention = mentionIn(event);
    if (mention && erased.has(mention.orderId)) return 'erased';
    return isSomebodys(event) || (mention && live.has(mention.orderId)) ? 'owned' : 'waiting';
  };
  const sorted: { readonly [group in keyof SortedEvents]: ReadEvent[] } = { owned: [], waiting: [], erased: [] };
  for (const one of events) sorted[groupOf(one)].push(one);
  return sorted;
}

/** Keeps refunds and cancellations until their orders arrive. Returns how many of each batch are new. */
export async function keepForOrders(trx: Sql, events: readonly ReadEvent[], cameBy: readonly CameBy[], now: Instant): Promise<number[]> {
  const kept = events.map((one) => {
    const { sourceId, startsNothing = false } = cameBy[one.batch]!;
    return { orderId: String(one.event.properties.orderId), key: keyOfEvent(one), sourceId, startsNothing, event: one.event };
  });
  return countFresh(events, await keepWaiting(trx, kept, now), cameBy.length);
}

/** Books refunds and cancellations of orders whose people were erased. Returns how many of each batch are new. */
export async function bookForErased(
  trx: Sql,
  events: readonly ReadEvent[],
  cameBy: readonly CameBy[],
  settings: RevenueSettings,
): Promise<number[]> {
  if (!events.length) return [];
  const fresh = await claimEventKeys(trx, [...new Set(events.map(keyOfEvent))]);
  const open = new Set(fresh);
  for (const one of events) {
    // an event that is twice in a batch counts once
    if (!open.delete(keyOfEvent(one))) continue;
    const { type, time, properties } = one.event;
    // read for each: another event of this batch may have changed it
    const [order] = (await findErasedOrders(trx, [String(properties.orderId)])).values();
    if (!order) continue;
    const change = refundErased(order, { type, time, value: properties.value }, await sharesOfOrder(trx, order), settings);
    await saveErasedChange(trx, order, change, { at: time, isOwnDay: settings.paidBack !== 'on-order' });
  }
  return countFresh(events, fresh, cameBy.length);
}

/** Counts how many events of each batch are new, each key once. */
function countFresh(events: readonly ReadEvent[], fresh: ReadonlySet<string>, batches: number): number[] {
  const counts = Array.from({ length: batches }, () => 0);
  const open = new Set(fresh);
  for (const one of events) if (open.delete(keyOfEvent(one))) counts[one.batch]! += 1;
  return counts;
}
