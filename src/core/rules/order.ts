import type { Instant } from '../time';
import { isCurrency, toMinor } from '../money';
import { inOrder, type FactEvent } from './facts';

export const ORDER_EVENTS = ['order.placed', 'order.cancelled', 'order.refunded'] as const;

/** An order as all its events tell it. `placedAt` is null while only a cancellation or refund has arrived. */
export interface Order {
  readonly orderId: string;
  readonly placedAt: Instant | null;
  readonly valueMinor: number;
  /** what has been paid back so far */
  readonly refundedMinor: number;
  readonly isCancelled: boolean;
  readonly currency: string;
  readonly cartId: string | null;
  readonly discountMinor: number;
  /** the codes that it names, as they are looked up */
  readonly codes: readonly string[];
}

const amount = (value: unknown, currency: string): number =>
  typeof value === 'number' && Number.isFinite(value) ? Math.max(0, toMinor(value, currency)) : 0;

const MOST_CODES = 20;
/** The codes of an order, as they are looked up: capitals, without blanks, hyphens and other signs. */
function codesNamed(codes: unknown): string[] {
  if (!Array.isArray(codes)) return [];
  const spelt = codes.flatMap((one: unknown) => (typeof one === 'string' ? [spellingOf(one)] : []));
  return [...new Set(spelt)].filter(Boolean).slice(0, MOST_CODES).sort();
}

/** How a code is looked up, however it was typed: capitals, without blanks, hyphens and other signs. */
export const spellingOf = (code: string): string =>
  code
    .normalize('NFKC')
    .toUpperCase()
    .replace(/[^\p{L}\p{N}]/gu, '')
    .slice(0, 80);

/**
 * Folds the events of one order into its state, whatever order they arrived in. The latest `order.placed` tells
 * value and currency, the earliest its moment. A cancellation without a value, or of at least the rest, cancels;
 * a cancellation of a part and every refund count as paid back. A refund without a value pays all back.
 */
export function foldOrder(orderId: string, events: readonly FactEvent[], storeCurrency: string): Order {
  const placed = events.filter((event) => event.type === 'order.placed').sort(inOrder);
  const latest = placed.at(-1)?.properties;
  const currency = typeof latest?.currency === 'string' && isCurrency(latest.currency) ? latest.currency : storeCurrency;
  const valueMinor = amount(latest?.value, currency);
  let refundedMinor = 0;
  let isCancelled = false;
  let isPartCancelled = false;
  for (const event of events) {
    if (event.type !== 'order.cancelled' && event.type !== 'order.refunded') continue;
    const hasValue = typeof event.properties.value === 'number';
    if (!hasValue) {
      if (event.type === 'order.cancelled') isCancelled = true;
      else refundedMinor = Number.MAX_SAFE_INTEGER;
    } else {
      refundedMinor = Math.min(Number.MAX_SAFE_INTEGER, refundedMinor + amount(event.properties.value, currency));
      isPartCancelled ||= event.type === 'order.cancelled';
    }
  }
  // nothing is left of it, and a part of that was cancelled
  if (placed.length && isPartCancelled && refundedMinor >= valueMinor) isCancelled = true;
  return {
    orderId,
    placedAt: placed[0]?.time ?? null,
    currency,
    cartId: typeof latest?.cartId === 'string' ? latest.cartId : null,
    valueMinor,
    discountMinor: amount(latest?.discount, currency),
    codes: codesNamed(latest?.codes),
    refundedMinor: Math.min(refundedMinor, valueMinor),
    isCancelled,
  };
}
