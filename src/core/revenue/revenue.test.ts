import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { foldOrder, ledgerOf, LEDGER_EVENTS } from '../orders';
import type { FactEvent } from '../rules';
import { DAY, HOUR, MINUTE } from '../time';
import { creditOrder, netMinor, type OrderTotals, type Touch } from './credit';

const [CLICK_WINDOW, OPEN_WINDOW] = [7 * DAY, 2 * DAY];

const PLACED = Date.parse('2026-11-24T12:00:00Z');
const order = (more: Partial<OrderTotals> = {}): OrderTotals => ({
  orderId: 'o1',
  placedAt: PLACED,
  valueMinor: 10_000,
  refundedMinor: 0,
  isCancelled: false,
  ...more,
});
const touch = (sendId: string, more: Partial<Touch> = {}): Touch => ({
  sendId,
  deliveredAt: PLACED - 5 * DAY,
  openedAt: null,
  clickedAt: [],
  ...more,
});
let ids = 995;
const event = (type: string, time: number, properties: FactEvent['properties']): FactEvent => ({
  id: String(++ids),
  type,
  time,
  properties,
});

describe('last click within 7 days, else last opened within 2 (common practice)', () => {
  it('the message clicked last gets all of it, before any opening', () => {
    const credits = creditOrder(order(), [
      touch('a', { clickedAt: [PLACED - 3 * DAY] }),
      touch('b', { clickedAt: [PLACED - DAY] }),
      touch('c', { openedAt: PLACED - HOUR }),
    ]);
    expect(credits).toEqual([{ sendId: 'b', minor: 10_000, because: 'click' }]);
  });

  it('a click counts for 7 days and not a moment longer; one after the order does not', () => {
    const at = (ms: number) => creditOrder(order(), [touch('a', { clickedAt: [ms] })]).length;
    expect([at(PLACED - CLICK_WINDOW), at(PLACED - CLICK_WINDOW - 1), at(PLACED), at(PLACED + 1)]).toEqual([1, 0, 1, 0]);
  });

  it('without a click the message opened last within 2 days gets it, if it was delivered', () => {
    const opened = (ms: number, deliveredAt: number | null = PLACED - 3 * DAY) =>
      creditOrder(order(), [touch('a', { openedAt: ms, deliveredAt })]);
    expect(opened(PLACED - HOUR)).toEqual([{ sendId: 'a', minor: 10_000, because: 'open' }]);
    expect(opened(PLACED - OPEN_WINDOW)).toHaveLength(1);
    expect(opened(PLACED - OPEN_WINDOW - 1)).toEqual([]);
    expect(opened(PLACED - HOUR, null)).toEqual([]);
    expect(opened(PLACED - HOUR, PLACED + 1)).toEqual([]);
    expect(opened(PLACED - HOUR, PLACED - 300 * DAY)).toHaveLength(1);
  });

  it('an order that nothing led to is credited to nobody', () => {
    expect(creditOrder(order(), [touch('a')])).toEqual([]);
  });

  it('refunds and cancellations take credit back', () => {
    const clicked = [touch('a', { clickedAt: [PLACED - HOUR] })];
    expect(creditOrder(order({ refundedMinor: 4_000 }), clicked)[0]!.minor).toBe(6_000);
    expect(creditOrder(order({ isCancelled: true }), clicked)).toEqual([]);
    expect(netMinor(order({ refundedMinor: 99_999 }))).toBe(0);
  });

  it('the credits of an order never exceed it', () => {
    const moment = fc.integer({ min: PLACED - 12 * DAY, max: PLACED + DAY });
    const touches = fc.array(
      fc.record({
        sendId: fc.string({ minLength: 1, maxLength: 3 }),
        deliveredAt: fc.option(moment),
        openedAt: fc.option(moment),
        clickedAt: fc.array(moment, { maxLength: 3 }),
      }),
      { maxLength: 6 },
    );
    fc.assert(
      fc.property(
        touches,
        fc.nat(1e9),
        fc.integer({ min: -10, max: 2e9 }),
        fc.boolean(),
        (list, valueMinor, refundedMinor, isCancelled) => {
          const one = order({ valueMinor, refundedMinor, isCancelled });
          const sum = creditOrder(one, list).reduce((total, credit) => total + credit.minor, 0);
          expect(sum === 0 || sum === netMinor(one)).toBe(true);
          expect(sum).toBeLessThanOrEqual(valueMinor);
        },
      ),
    );
  });
});

describe('an order from its events', () => {
  const placed = event('order.placed', PLACED, { orderId: 'o1', cartId: 'c1', currency: 'EUR', value: 134.55, discount: 14.95 });

  it('knows value, discount and cart; a part paid back, all paid back, cancelled', () => {
    expect(foldOrder('o1', [placed], 'EUR')).toMatchObject({
      valueMinor: 13_455,
      discountMinor: 1_495,
      cartId: 'c1',
      refundedMinor: 0,
      isCancelled: false,
      placedAt: PLACED,
    });
    expect(foldOrder('o1', [placed, event('order.refunded', PLACED + DAY, { orderId: 'o1', value: 34.55 })], 'EUR')).toMatchObject({
      refundedMinor: 3_455,
    });
    expect(foldOrder('o1', [placed, event('order.refunded', PLACED + DAY, { orderId: 'o1' })], 'EUR')).toMatchObject({
      refundedMinor: 13_455,
    });
    expect(foldOrder('o1', [placed, event('order.cancelled', PLACED + DAY, { orderId: 'o1' })], 'EUR').isCancelled).toBe(true);
  });

  it('a cancellation of all that is left cancels, whatever value it names; of a part it pays back', () => {
    const cancelled = (value: number) => event('order.cancelled', PLACED + DAY, { orderId: 'o1', value });
    expect(foldOrder('o1', [placed, cancelled(134.55)], 'EUR')).toMatchObject({ isCancelled: true });
    expect(foldOrder('o1', [placed, cancelled(34.55)], 'EUR')).toMatchObject({ isCancelled: false, refundedMinor: 3_455 });
    const refunded = event('order.refunded', PLACED + DAY, { orderId: 'o1', value: 100 });
    for (const events of [
      [placed, refunded, cancelled(34.55)],
      [cancelled(34.55), refunded, placed],
    ])
      expect(foldOrder('o1', events, 'EUR')).toMatchObject({ isCancelled: true });
    // a refund of everything is no cancellation: the order was delivered
    expect(foldOrder('o1', [placed, event('order.refunded', PLACED + DAY, { orderId: 'o1', value: 134.55 })], 'EUR')).toMatchObject({
      isCancelled: false,
      refundedMinor: 13_455,
    });
  });

  it('of two that say its value at the same moment the later told counts: ids are numbers, 1000 comes after 999', () => {
    const told = (id: string, value: number): FactEvent => ({
      id,
      type: 'order.placed',
      time: PLACED,
      properties: { orderId: 'o1', currency: 'EUR', value },
    });
    for (const events of [
      [told('999', 10), told('1000', 20)],
      [told('1000', 20), told('999', 10)],
    ])
      expect(foldOrder('o1', events, 'EUR').valueMinor).toBe(2_000);
    expect(creditOrder(order(), [touch('1000', { clickedAt: [PLACED] }), touch('999', { clickedAt: [PLACED] })])[0]!.sendId).toBe('1000');
  });

  it('a cancellation that arrives before its order waits for it', () => {
    const early = event('order.cancelled', PLACED + MINUTE, { orderId: 'o1' });
    expect(foldOrder('o1', [early], 'EUR')).toMatchObject({ placedAt: null, isCancelled: true });
    expect(netMinor({ ...foldOrder('o1', [early, placed], 'EUR'), placedAt: PLACED })).toBe(0);
  });

  it('shuffled events tell the same ledger', () => {
    const events = [
      placed,
      event('order.refunded', PLACED + DAY, { orderId: 'o1', value: 20 }),
      event('order.placed', PLACED + 2 * DAY, { orderId: 'o2', currency: 'EUR', value: 10 }),
      event('message.delivered', PLACED - DAY, { sendId: 's1' }),
      event('message.opened', PLACED - HOUR, { sendId: 's1' }),
      event('message.clicked', PLACED - HOUR, { sendId: 's2' }),
    ];
    const plain = (list: readonly FactEvent[]) =>
      ledgerOf(list, 'EUR', () => true)
        .map((row) => JSON.stringify(row))
        .sort();
    fc.assert(
      fc.property(fc.shuffledSubarray(events, { minLength: events.length }), (shuffled) => {
        expect(plain(shuffled)).toEqual(plain(events));
      }),
    );
    expect(LEDGER_EVENTS).toContain('order.refunded');
  });
});
