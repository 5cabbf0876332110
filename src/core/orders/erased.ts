import { allocate, toMinor } from '../money';
import { bookingsOf, type OrderMoney, type RevenueSettings } from '../revenue';
import type { Value } from '../rules';
import type { Instant } from '../time';

/** What is kept of an order after its person was erased; amounts in minor units of its currency. */
export interface ErasedOrder extends Pick<OrderMoney, 'placedAt' | 'valueMinor' | 'discountMinor' | 'taxMinor' | 'shippingMinor'> {
  readonly personId: string;
  /** the hash that replaces the order's id */
  readonly orderId: string;
  readonly currency: string;
  readonly refundedMinor: number;
  readonly netMinor: number;
  readonly isCancelled: boolean;
}

/** The credit of one message by one model in an order, all its bookings together. */
export interface ErasedShare {
  readonly sendId: string;
  readonly model: string;
  readonly minor: number;
}

/** What a refund or cancellation changes: the order's new state, and the difference of each share. */
export interface ErasedChange extends Pick<ErasedOrder, 'refundedMinor' | 'netMinor' | 'isCancelled'> {
  readonly differences: readonly ErasedShare[];
}

/**
 * Takes a refund or cancellation off an order whose person was erased. Its events are gone, so the booking is computed from what is
 * kept. The credits shrink in proportion, by largest remainder: by each model they still sum to what is left.
 */
export function refundErased(
  order: ErasedOrder,
  refund: { readonly type: string; readonly time: Instant; readonly value: Value | undefined },
  shares: readonly ErasedShare[],
  settings: RevenueSettings,
): ErasedChange {
  const { type, time, value } = refund;
  const isPart = typeof value === 'number';
  const whole = type === 'order.refunded' ? order.valueMinor : 0;
  const back = isPart ? Math.max(0, toMinor(value, order.currency)) : whole;
  const refundedMinor = Math.min(order.valueMinor, order.refundedMinor + back);
  const isCancelled = order.isCancelled || (type === 'order.cancelled' && (!isPart || refundedMinor >= order.valueMinor));

  const paidBack = refundedMinor ? [{ at: time, minor: refundedMinor }] : [];
  const [left] = bookingsOf({ ...order, paidBack, cancelledAt: isCancelled ? time : null }, { ...settings, paidBack: 'on-order' });
  // an order that was counted in another way before it was erased never grows by a refund
  const netMinor = Math.min(order.netMinor, left!.minor);

  const models = [...new Set(shares.map(({ model }) => model))];
  const differences = models.flatMap((model) => {
    const own = shares.filter((share) => share.model === model);
    const weights = own.map(({ minor }) => Math.max(0, minor));
    if (!weights.some(Boolean)) return [];
    const now = allocate(netMinor, weights);
    return own.map((share, index) => ({ ...share, minor: now[index]! - share.minor }));
  });
  return { refundedMinor, netMinor, isCancelled, differences };
}
