import type { Instant } from '../time';
import { foldOrder, ORDER_EVENTS, type FactEvent, type Order } from '../rules';
import { creditOrder, type Credit, type Touch } from '../revenue';

const TOUCH_EVENTS: readonly string[] = ['message.delivered', 'message.opened', 'message.clicked'];
const ORDERS: readonly string[] = ORDER_EVENTS;

/** The events that can change what an order is worth or to which message it is credited. */
export const LEDGER_EVENTS: readonly string[] = [...ORDER_EVENTS, ...TOUCH_EVENTS];

/** Whether an event is about an order itself; otherwise it is about a message that an order may be credited to. */
export const isOrderEvent = (type: string): boolean => ORDERS.includes(type);

/** Gathers what message events tell of each send: the first delivery and opening, every click. */
export function touchesOf(events: readonly FactEvent[]): Touch[] {
  const touches = new Map<string, { sendId: string; deliveredAt: Instant | null; openedAt: Instant | null; clickedAt: Instant[] }>();
  for (const event of events) {
    const { sendId } = event.properties;
    if (typeof sendId !== 'string' || !TOUCH_EVENTS.includes(event.type)) continue;
    const touch = touches.get(sendId) ?? { sendId, deliveredAt: null, openedAt: null, clickedAt: [] };
    if (event.type === 'message.delivered') touch.deliveredAt = Math.min(touch.deliveredAt ?? Infinity, event.time);
    else if (event.type === 'message.opened') touch.openedAt = Math.min(touch.openedAt ?? Infinity, event.time);
    else touch.clickedAt.push(event.time);
    touches.set(sendId, touch);
  }
  return [...touches.values()];
}

/** One person's orders with their credits, from all their events; `isKnown` leaves out sends that are not ours. */
export function ledgerOf(
  events: readonly FactEvent[],
  storeCurrency: string,
  isKnown: (sendId: string) => boolean,
): { order: Order; credits: Credit[] }[] {
  const touches = touchesOf(events).filter((touch) => isKnown(touch.sendId));
  const byOrder = new Map<string, FactEvent[]>();
  for (const event of events) {
    const { orderId } = event.properties;
    if (!ORDERS.includes(event.type) || typeof orderId !== 'string') continue;
    const about = byOrder.get(orderId);
    if (about) about.push(event);
    else byOrder.set(orderId, [event]);
  }
  return [...byOrder].map(([orderId, about]) => {
    const order = foldOrder(orderId, about, storeCurrency);
    return { order, credits: order.placedAt === null ? [] : creditOrder({ ...order, placedAt: order.placedAt }, touches) };
  });
}
