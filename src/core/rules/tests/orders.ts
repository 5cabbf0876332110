import * as z from 'zod';
import { toMajor, toMinor } from '../../money';
import { sooner, type Instant } from '../../time';
import { eventsOf } from '../events';
import type { FactEvent, Facts, Viewpoint } from '../facts';
import { foldOrder, ORDER_EVENTS, type Order } from '../order';
import { passesOut, saySince, sinceSchema, spanOf } from '../when';
import { sayComparison, sayValue } from '../wording';
import { inStoreCurrency, NO_WORLD } from '../world';
import { compare, type Comparison } from '../compare';
import { MOST_ADDED, slides } from './counted';
import type { TestKind } from './kind';

const number = z.number().min(-1e12).max(1e12);
export const ordersSchema = z
  .strictObject({
    test: z.literal('orders'),
    take: z.enum(['number', 'total', 'average', 'largest', 'last']),
    op: z.enum(['is', 'atLeast', 'above', 'atMost', 'below', 'between']),
    value: z.union([number, z.tuple([number, number])]),
    since: sinceSchema.refine((since) => since !== 'entry' && since !== 'start' && !(typeof since === 'object' && 'after' in since), {
      message: 'must be a time',
      params: { right: '"ever", {last}, {ago} or days' },
    }),
  })
  .refine(({ op, value }) => (op === 'between' ? Array.isArray(value) && value[0] <= value[1] : typeof value === 'number'), {
    path: ['value'],
    message: 'does not fit the comparison',
    params: { right: 'a number; two of them, the smaller first, for between' },
  });
export type OrdersTest = z.infer<typeof ordersSchema>;

// the same events are looked at by many rules
const folded = new WeakMap<readonly FactEvent[], { size: number; currency: string; orders: readonly Order[] }>();

/** The orders that events tell of, as they stand. */
function ordersOf(facts: Pick<Facts, 'events'>, currency: string): readonly Order[] {
  const known = folded.get(facts.events);
  if (known && known.size === facts.events.length && known.currency === currency) return known.orders;
  const byOrder = new Map<string, FactEvent[]>();
  for (const type of ORDER_EVENTS)
    for (const event of eventsOf(facts, type)) {
      const { orderId } = event.properties;
      if (typeof orderId !== 'string') continue;
      const own = byOrder.get(orderId);
      if (own) own.push(event);
      else byOrder.set(orderId, [event]);
    }
  const orders = [...byOrder].map(([orderId, events]) => foldOrder(orderId, events, currency));
  folded.set(facts.events, { size: facts.events.length, currency, orders });
  return orders;
}

/** What orders come to, in minor units of the store's currency, or how many there are; null where there is nothing to take it of. */
function takeOf(take: OrdersTest['take'], orders: readonly Order[], { zone, world = NO_WORLD }: Viewpoint): number | null {
  if (take === 'number') return orders.length;
  const amounts = orders.flatMap(({ valueMinor, refundedMinor, currency, placedAt, orderId }) => {
    const minor = inStoreCurrency(valueMinor - refundedMinor, currency, placedAt!, zone, world);
    return minor === null ? [] : [{ minor, at: placedAt!, orderId }];
  });
  const sum = amounts.reduce((total, { minor }) => total + minor, 0);
  if (take === 'total') return sum;
  if (!amounts.length) return null;
  if (take === 'average') return Math.round(sum / amounts.length);
  if (take === 'largest') return Math.max(...amounts.map(({ minor }) => minor));
  return amounts.reduce((a, b) => (b.at > a.at || (b.at === a.at && b.orderId > a.orderId) ? b : a)).minor;
}

const TAKEN: Record<OrdersTest['take'], string> = {
  number: 'number of orders',
  total: 'total of orders',
  average: 'average order',
  largest: 'largest order',
  last: 'last order',
};

/**
 * What somebody's orders come to: without those that were cancelled, after what was paid back, in the store's currency. An
 * order in a currency of which no rate is known is counted, and left out of amounts.
 */
export const ordersKind: TestKind<OrdersTest> = {
  look(test, facts, view) {
    const { world = NO_WORLD } = view;
    const span = spanOf(test.since, view);
    const { last, ago } = slides(test.since);
    let until: Instant | null = null;
    const standing = ordersOf(facts, world.currency).filter(({ placedAt, isCancelled }) => {
      if (placedAt === null || isCancelled) return false;
      if (placedAt > view.now) until = sooner(until, placedAt);
      const isEarly = span.isFrom ? placedAt < span.after : placedAt <= span.after;
      if (last !== undefined && !isEarly && placedAt <= span.to) until = sooner(until, passesOut(placedAt, last, view));
      if (ago !== undefined && placedAt > span.to) until = sooner(until, passesOut(placedAt, ago, view));
      return !isEarly && placedAt <= span.to;
    });
    const taken = takeOf(test.take, standing, view);
    const asked = (one: number) => (test.take === 'number' ? one : toMinor(one, world.currency));
    const value = Array.isArray(test.value) ? (test.value.map(asked) as [number, number]) : asked(test.value);
    return { holds: taken !== null && compare(taken, { op: test.op, value } as Comparison), until, saw: taken };
  },
  needs: () =>
    ORDER_EVENTS.map((name) => ({
      kind: 'event',
      name,
      where: [],
      since: 'ever',
      times: MOST_ADDED,
      ahead: true,
      also: ['orderId', 'value', 'currency'],
    })),
  turns: () => true,
  says(test, wording) {
    const currency = test.take === 'number' ? undefined : wording.currency;
    return `${wording.isWhose ? 'whose ' : ''}${TAKEN[test.take]}${saySince(test.since)} ${sayComparison(test as Comparison, currency)}`;
  },
  saySaw(test, { saw }, { currency = 'EUR' }) {
    if (saw === null) return 'there was no order';
    return `it was ${test.take === 'number' ? sayValue(saw as number) : sayValue(toMajor({ minor: saw as number, currency }), currency)}`;
  },
};
