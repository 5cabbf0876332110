import type { Instant } from '../time';
import { CHANNELS, foldOrder, inOrder, ORDER_EVENTS, type Channel, type FactEvent, type Order } from '../rules';
import { toMinor } from '../money';
import {
  bookingsOf,
  allCredits,
  contactsOf,
  usualRevenue,
  type BookedCredit,
  type Booking,
  type Contact,
  type CreditModel,
  type OrderMoney,
  type RevenueSettings,
  type Touch,
} from '../revenue';

const TOUCH_EVENTS: readonly string[] = ['message.delivered', 'message.opened', 'message.clicked'];
const ORDERS: readonly string[] = ORDER_EVENTS;

/** The events that can change what an order is worth or to which message it is credited. */
export const LEDGER_EVENTS: readonly string[] = [...ORDER_EVENTS, ...TOUCH_EVENTS];

/** Whether an event is about an order itself; otherwise it is about a message that an order may be credited to. */
export const isOrderEvent = (type: string): boolean => ORDERS.includes(type);

/** Gathers what message events tell of each send: the first delivery and opening, every click. */
export function touchesOf(events: readonly FactEvent[]): Touch[] {
  type Gathered = { sendId: string; channel: Channel | null; deliveredAt: Instant | null; openedAt: Instant | null; clickedAt: Instant[] };
  const touches = new Map<string, Gathered>();
  for (const event of events) {
    const { sendId } = event.properties;
    if (typeof sendId !== 'string' || !TOUCH_EVENTS.includes(event.type)) continue;
    const touch = touches.get(sendId) ?? { sendId, channel: null, deliveredAt: null, openedAt: null, clickedAt: [] };
    touch.channel ??= channelOf(event.properties.channel);
    if (event.type === 'message.delivered') touch.deliveredAt = Math.min(touch.deliveredAt ?? Infinity, event.time);
    else if (event.type === 'message.opened') touch.openedAt = Math.min(touch.openedAt ?? Infinity, event.time);
    else touch.clickedAt.push(event.time);
    touches.set(sendId, touch);
  }
  return [...touches.values()];
}

const channelOf = (said: unknown): Channel | null => CHANNELS.find((channel) => channel === said) ?? null;

/** An order of the ledger: what it comes to and when, which messages have a share in it and why, and its credits by every model. */
export interface LedgerOrder {
  readonly order: Order;
  readonly money: OrderMoney | null;
  readonly bookings: readonly Booking[];
  readonly contacts: readonly Contact[];
  readonly credits: readonly (BookedCredit & { readonly model: CreditModel })[];
}

/** What the events of one order tell of its money, as they stand in time; null while it has not been placed. */
export function moneyOf(order: Order, about: readonly FactEvent[]): OrderMoney | null {
  const { placedAt, currency, valueMinor, discountMinor } = order;
  if (placedAt === null) return null;
  const amount = (value: unknown): number =>
    typeof value === 'number' && Number.isFinite(value) ? Math.min(valueMinor, Math.max(0, toMinor(value, currency))) : 0;
  const latest = about
    .filter(({ type }) => type === 'order.placed')
    .sort(inOrder)
    .at(-1)?.properties;
  const back = about.filter(({ type }) => type !== 'order.placed').sort(inOrder);
  const paidBack: { at: Instant; minor: number }[] = [];
  let sum = 0;
  let cancelledAt: Instant | null = null;
  for (const { type, time, properties } of back) {
    const isWhole = typeof properties.value !== 'number';
    if (isWhole && type === 'order.cancelled') cancelledAt ??= time;
    const minor = Math.min(valueMinor - sum, isWhole ? (type === 'order.cancelled' ? 0 : valueMinor) : amount(properties.value));
    if (minor > 0) paidBack.push({ at: time, minor });
    sum += Math.max(0, minor);
  }
  // what was cancelled part by part until nothing was left
  if (order.isCancelled) cancelledAt ??= back.at(-1)?.time ?? placedAt;
  return {
    placedAt,
    valueMinor,
    discountMinor,
    taxMinor: amount(latest?.tax),
    shippingMinor: amount(latest?.shipping),
    paidBack,
    cancelledAt,
  };
}

/** One person's orders with their credits, from all their events; `isKnown` leaves out sends that are not ours. */
export function ledgerOf(
  events: readonly FactEvent[],
  storeCurrency: string,
  isKnown: (sendId: string) => boolean,
  settings: RevenueSettings = usualRevenue(),
): LedgerOrder[] {
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
    const money = moneyOf(order, about);
    if (!money) return { order, money, bookings: [], contacts: [], credits: [] };
    const bookings = bookingsOf(money, settings);
    const contacts = contactsOf(money.placedAt, touches, settings);
    return { order, money, bookings, contacts, credits: allCredits(bookings, contacts, money.placedAt, settings) };
  });
}
