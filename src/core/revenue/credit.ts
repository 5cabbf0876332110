import { compareIds } from '../rules';
import { DAY, type Instant } from '../time';

/** An order as the ledger sees it. Amounts in minor units of its currency. */
export interface OrderTotals {
  readonly orderId: string;
  readonly placedAt: Instant;
  readonly valueMinor: number;
  /** what has been paid back so far */
  readonly refundedMinor: number;
  readonly isCancelled: boolean;
}

/** One message that reached the person, and when they took it up. */
export interface Touch {
  readonly sendId: string;
  readonly deliveredAt: Instant | null;
  readonly openedAt: Instant | null;
  /** every click, ascending */
  readonly clickedAt: readonly Instant[];
}

export interface Credit {
  readonly sendId: string;
  readonly minor: number;
  readonly because: 'click' | 'open';
}

/** How credit is given. The only model so far; the ledger names it so that others can stand beside it. */
export const CREDIT_MODELS = ['last-click'] as const;
export type CreditModel = (typeof CREDIT_MODELS)[number];

export const CLICK_WINDOW = 7 * DAY;
export const OPEN_WINDOW = 2 * DAY;
/** For how long after an event about a message an order's credit can depend on it: on its delivery at any time after. */
export const windowOf = (type: string): number =>
  type === 'message.clicked' ? CLICK_WINDOW : type === 'message.opened' ? OPEN_WINDOW : Number.POSITIVE_INFINITY;

/** What is left of an order after refunds and cancellation, never below zero. */
export function netMinor(order: OrderTotals): number {
  if (order.isCancelled) return 0;
  return Math.max(0, order.valueMinor - Math.max(0, order.refundedMinor));
}

/**
 * Credits an order to messages: all of it to the message clicked last within 7 days before the order, else to the
 * one delivered and opened last within 2 days before it, else to none (common practice: click before open, the
 * later before the earlier). Sums to the net of the order or to nothing. Ties go to the greater send id.
 */
export function creditOrder(order: OrderTotals, touches: readonly Touch[]): Credit[] {
  const net = netMinor(order);
  if (net === 0) return [];
  const clicked = latest(touches, order.placedAt, CLICK_WINDOW, (touch) => touch.clickedAt);
  if (clicked) return [{ sendId: clicked, minor: net, because: 'click' }];
  const opened = latest(touches, order.placedAt, OPEN_WINDOW, (touch) =>
    touch.openedAt !== null && touch.deliveredAt !== null && touch.deliveredAt <= order.placedAt ? [touch.openedAt] : [],
  );
  return opened ? [{ sendId: opened, minor: net, because: 'open' }] : [];
}

function latest(
  touches: readonly Touch[],
  placedAt: Instant,
  window: number,
  momentsOf: (touch: Touch) => readonly Instant[],
): string | null {
  let best: { at: Instant; sendId: string } | null = null;
  for (const touch of touches) {
    for (const at of momentsOf(touch)) {
      if (at > placedAt || at < placedAt - window) continue;
      if (!best || at > best.at || (at === best.at && compareIds(touch.sendId, best.sendId) > 0)) best = { at, sendId: touch.sendId };
    }
  }
  return best?.sendId ?? null;
}
