import type { Instant } from '../time';
import { BECAUSE, creditsOf, type Contact, type Credit } from './credit';
import { CREDIT_MODELS, type CreditModel, type RevenueSettings } from './settings';

/** What is told of an order's money, in minor units of its currency. */
export interface OrderMoney {
  readonly placedAt: Instant;
  /** what was paid, with tax and shipping, after the discount */
  readonly valueMinor: number;
  readonly discountMinor: number;
  readonly taxMinor: number;
  readonly shippingMinor: number;
  /** what was paid back, each time with how much of the value, ascending */
  readonly paidBack: readonly { readonly at: Instant; readonly minor: number }[];
  readonly cancelledAt: Instant | null;
}

/** An amount that counts at a moment: the order, or what was taken off it again. */
export interface Booking {
  readonly part: number;
  readonly at: Instant;
  readonly minor: number;
}

/** What of an order counts, before anything was paid back: by choice without tax and shipping, and as if there were no discount. */
export function countedMinor(
  { valueMinor, discountMinor, taxMinor, shippingMinor }: Omit<OrderMoney, 'placedAt' | 'paidBack' | 'cancelledAt'>,
  { without, beforeDiscount }: RevenueSettings,
): number {
  return Math.max(
    0,
    valueMinor + (beforeDiscount ? discountMinor : 0) - (without.tax ? taxMinor : 0) - (without.shipping ? shippingMinor : 0),
  );
}

/** What is left of what counts once so much of the value was paid back: its share of each part goes with it. */
function leftOf(counted: number, valueMinor: number, paidBack: number): number {
  if (paidBack >= valueMinor) return 0;
  return counted - Math.round((counted * Math.max(0, paidBack)) / valueMinor);
}

/**
 * The amounts of an order, each at the moment at which it counts. They sum to what is left of it: where what is paid back counts on the
 * day of the order there is one, where it counts on its own day there is one for the order and one for each time.
 */
export function bookingsOf(order: OrderMoney, settings: RevenueSettings): Booking[] {
  const counted = countedMinor(order, settings);
  const steps: { at: Instant; left: number }[] = [];
  let paidBack = 0;
  for (const { at, minor } of order.paidBack) {
    paidBack += minor;
    steps.push({ at, left: leftOf(counted, order.valueMinor, paidBack) });
  }
  if (order.cancelledAt !== null) steps.push({ at: order.cancelledAt, left: 0 });
  if (settings.paidBack === 'on-order')
    return [{ part: 0, at: order.placedAt, minor: order.cancelledAt !== null ? 0 : (steps.at(-1)?.left ?? counted) }];
  steps.sort((a, b) => a.at - b.at);
  const bookings: Booking[] = [{ part: 0, at: order.placedAt, minor: counted }];
  let left = counted;
  for (const step of steps) {
    const now = Math.min(left, step.left);
    // nothing is taken off before there was something to take it off
    if (now !== left) bookings.push({ part: bookings.length, at: Math.max(order.placedAt, step.at), minor: now - left });
    left = now;
  }
  return bookings;
}

/** A share of a booking that a message gets. */
export interface BookedCredit extends Credit {
  readonly part: number;
  readonly at: Instant;
}

/**
 * The credits of every booking of an order by a model. What is left after each booking is shared anew, and each booking brings the
 * difference: so the credits of all bookings sum to what is left for each message, and no cent is lost on the way.
 */
export function bookedCredits(
  bookings: readonly Booking[],
  contacts: readonly Contact[],
  placedAt: Instant,
  model: CreditModel,
  settings: RevenueSettings,
): BookedCredit[] {
  let left = 0;
  let before = new Map<string, number>();
  const because = new Map(contacts.map(({ sendId, did }) => [sendId, BECAUSE[did]]));
  return bookings.flatMap(({ part, at, minor }) => {
    left += minor;
    const now = creditsOf(left, contacts, placedAt, model, settings);
    const shares = new Map(now.map((credit) => [credit.sendId, credit.minor]));
    const changed = [...new Set([...before.keys(), ...shares.keys()])].flatMap((sendId): BookedCredit[] => {
      const difference = (shares.get(sendId) ?? 0) - (before.get(sendId) ?? 0);
      return difference ? [{ part, at, sendId, minor: difference, because: because.get(sendId)! }] : [];
    });
    before = shares;
    return changed;
  });
}

/** The same by every model. */
export const allCredits = (
  bookings: readonly Booking[],
  contacts: readonly Contact[],
  placedAt: Instant,
  settings: RevenueSettings,
): (BookedCredit & { readonly model: CreditModel })[] =>
  contacts.length
    ? CREDIT_MODELS.flatMap((model) => bookedCredits(bookings, contacts, placedAt, model, settings).map((credit) => ({ ...credit, model })))
    : [];
