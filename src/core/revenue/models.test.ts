import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { ledgerOf } from '../orders';
import type { FactEvent } from '../rules';
import { DAY, HOUR } from '../time';
import { allCredits, bookedCredits, bookingsOf, countedMinor, type OrderMoney } from './booking';
import { contactsOf, creditOrder, weightsOf, type Contact, type Touch } from './credit';
import { CREDIT_MODELS, revenueSettingsSchema, sayCounted, usualRevenue, type CreditModel, type RevenueSettings } from './settings';

const PLACED = Date.parse('2026-11-24T12:00:00Z');
const clicked = (sendId: string, daysBefore: number): Touch => ({
  sendId,
  channel: 'email',
  deliveredAt: PLACED - daysBefore * DAY - HOUR,
  openedAt: null,
  clickedAt: [PLACED - daysBefore * DAY],
});
const wide: RevenueSettings = {
  ...usualRevenue(),
  windows: { ...usualRevenue().windows, email: { clicked: 90, opened: 30, delivered: 10 } },
};
const order = (valueMinor: number) => ({ orderId: 'o', placedAt: PLACED, valueMinor, refundedMinor: 0, isCancelled: false });
const shares = (model: CreditModel, touches: readonly Touch[], valueMinor = 10_000, settings = wide) =>
  Object.fromEntries(creditOrder(order(valueMinor), touches, model, settings).map(({ sendId, minor }) => [sendId, minor]));

describe('the models', () => {
  const four = [clicked('1', 21), clicked('2', 14), clicked('3', 7), clicked('4', 0)];

  it('share 100 among four clicks a week apart as the textbooks do (common practice; worked by hand)', () => {
    expect(shares('last-click', four)).toEqual({ 4: 10_000 });
    expect(shares('last-touch', four)).toEqual({ 4: 10_000 });
    expect(shares('first-touch', four)).toEqual({ 1: 10_000 });
    expect(shares('even', four)).toEqual({ 1: 2_500, 2: 2_500, 3: 2_500, 4: 2_500 });
    // half as much for each half-life of 7 days: 1, 2, 4 and 8 fifteenths
    expect(shares('time-decay', four)).toEqual({ 1: 667, 2: 1_333, 3: 2_667, 4: 5_333 });
    expect(shares('position', four)).toEqual({ 1: 4_000, 2: 1_000, 3: 1_000, 4: 4_000 });
  });

  it('by position two share alike, and one has all', () => {
    expect(shares('position', four.slice(2))).toEqual({ 3: 5_000, 4: 5_000 });
    expect(shares('position', four.slice(3))).toEqual({ 4: 10_000 });
  });

  it('the last click goes before a later opening, the last touch does not', () => {
    const opened: Touch = { sendId: '5', channel: 'email', deliveredAt: PLACED - 2 * DAY, openedAt: PLACED - HOUR, clickedAt: [] };
    expect(shares('last-click', [clicked('3', 7), opened])).toEqual({ 3: 10_000 });
    expect(shares('last-touch', [clicked('3', 7), opened])).toEqual({ 5: 10_000 });
    // a message that was only delivered counts where the store says so, and last of all
    const delivered: Touch = { ...opened, sendId: '6', openedAt: null };
    expect(shares('last-click', [opened, delivered])).toEqual({ 5: 10_000 });
    expect(shares('even', [delivered])).toEqual({ 6: 10_000 });
    expect(shares('even', [delivered], 10_000, usualRevenue())).toEqual({});
  });

  it('have windows of their own for each channel', () => {
    const settings: RevenueSettings = { ...wide, windows: { ...wide.windows, sms: { clicked: 1, opened: null, delivered: null } } };
    expect(shares('even', [{ ...clicked('1', 2), channel: 'sms' }, clicked('2', 2)], 10_000, settings)).toEqual({ 2: 10_000 });
  });
});

const touches = fc.uniqueArray(
  fc.record({
    sendId: fc.integer({ min: 1, max: 30 }).map(String),
    channel: fc.constantFrom('email' as const, 'sms' as const, null),
    deliveredAt: fc.option(fc.integer({ min: PLACED - 40 * DAY, max: PLACED + DAY })),
    openedAt: fc.option(fc.integer({ min: PLACED - 40 * DAY, max: PLACED + DAY })),
    clickedAt: fc.array(fc.integer({ min: PLACED - 100 * DAY, max: PLACED + DAY }), { maxLength: 3 }),
  }),
  { maxLength: 8, selector: ({ sendId }) => sendId },
);
const days = fc.option(fc.integer({ min: 1, max: 90 }));
const windows = fc.record({ clicked: days, opened: days, delivered: days });
const settings: fc.Arbitrary<RevenueSettings> = fc.record({
  schema: fc.constant('viatic.revenue/1' as const),
  model: fc.constantFrom(...CREDIT_MODELS),
  windows: fc.record({ email: windows, sms: windows, push: windows }),
  halfLifeDays: fc.constantFrom(0.5, 1, 7, 30),
  without: fc.record({ tax: fc.boolean(), shipping: fc.boolean() }),
  beforeDiscount: fc.boolean(),
  paidBack: fc.constantFrom('on-order' as const, 'on-day' as const),
});
const minor = fc.nat(1e7);
const money: fc.Arbitrary<OrderMoney> = fc.record({
  placedAt: fc.constant(PLACED),
  valueMinor: minor,
  discountMinor: minor,
  taxMinor: minor,
  shippingMinor: minor,
  paidBack: fc.array(
    fc.record({ at: fc.integer({ min: PLACED - DAY, max: PLACED + 60 * DAY }), minor: fc.integer({ min: 1, max: 4e6 }) }),
    { maxLength: 4 },
  ),
  cancelledAt: fc.option(fc.integer({ min: PLACED - DAY, max: PLACED + 60 * DAY })),
});

describe('laws', () => {
  it('by every model the credits of an order sum to all of it, or to nothing where no message counts; the same in any order of touches', () => {
    fc.assert(
      fc.property(touches, settings, minor, (list, how, valueMinor) => {
        const isCounted = contactsOf(PLACED, list, how).length > 0;
        for (const model of CREDIT_MODELS) {
          const credits = creditOrder(order(valueMinor), list, model, how);
          expect(credits.reduce((sum, one) => sum + one.minor, 0)).toBe(isCounted ? valueMinor : 0);
          for (const credit of credits) expect(credit.minor).toBeGreaterThan(0);
          expect(creditOrder(order(valueMinor), [...list].reverse(), model, how)).toEqual(credits);
        }
      }),
    );
  });

  it('the bookings of an order sum to what is left of it, never below nothing, whichever day refunds count on', () => {
    fc.assert(
      fc.property(money, settings, (one, how) => {
        const sum = (paidBack: RevenueSettings['paidBack']) =>
          bookingsOf({ ...one, paidBack: [...one.paidBack].sort((a, b) => a.at - b.at) }, { ...how, paidBack }).reduce(
            (all, { minor: part }) => all + part,
            0,
          );
        expect(sum('on-day')).toBe(sum('on-order'));
        expect(sum('on-day')).toBeGreaterThanOrEqual(0);
        expect(sum('on-day')).toBeLessThanOrEqual(countedMinor(one, how));
        let left = 0;
        for (const booking of bookingsOf(one, { ...how, paidBack: 'on-day' })) {
          expect(booking.at).toBeGreaterThanOrEqual(PLACED);
          left += booking.minor;
          expect(left).toBeGreaterThanOrEqual(0);
        }
      }),
    );
  });

  it('with refunds on their day the credits of each booking sum to it, and of all to what one booking would give each message', () => {
    fc.assert(
      fc.property(money, touches, settings, fc.constantFrom(...CREDIT_MODELS), (one, list, how, model) => {
        const contacts = contactsOf(PLACED, list, how);
        const sorted = { ...one, paidBack: [...one.paidBack].sort((a, b) => a.at - b.at) };
        const bookings = bookingsOf(sorted, { ...how, paidBack: 'on-day' });
        const credits = bookedCredits(bookings, contacts, PLACED, model, how);
        if (contacts.length)
          for (const { part, minor: amount } of bookings)
            expect(credits.filter((credit) => credit.part === part).reduce((sum, credit) => sum + credit.minor, 0)).toBe(amount);
        const perSend = (all: readonly { sendId: string; minor: number }[]) => {
          const sums = new Map<string, number>();
          for (const { sendId, minor: amount } of all) sums.set(sendId, (sums.get(sendId) ?? 0) + amount);
          return [...sums].filter(([, amount]) => amount !== 0).sort();
        };
        const once = bookedCredits(bookingsOf(sorted, { ...how, paidBack: 'on-order' }), contacts, PLACED, model, how);
        expect(perSend(credits)).toEqual(perSend(once));
      }),
    );
  });

  it('events in any order, some of them repeated after a merge, make the same ledger by every model', () => {
    let id = 0;
    const event = (type: string, time: number, properties: FactEvent['properties']): FactEvent => ({
      id: String(++id),
      type,
      time,
      properties,
    });
    const events = [
      event('order.placed', PLACED, { orderId: 'o1', currency: 'EUR', value: 100, tax: 17.36, shipping: 4.95, discount: 10 }),
      event('order.refunded', PLACED + 3 * DAY, { orderId: 'o1', value: 33.33 }),
      event('order.refunded', PLACED + 5 * DAY, { orderId: 'o1', value: 11 }),
      event('message.delivered', PLACED - 3 * DAY, { sendId: '1', channel: 'email' }),
      event('message.opened', PLACED - DAY, { sendId: '1', channel: 'email' }),
      event('message.clicked', PLACED - HOUR, { sendId: '2', channel: 'sms' }),
      event('message.clicked', PLACED - 2 * HOUR, { sendId: '3' }),
    ];
    const told = (list: readonly FactEvent[], how: RevenueSettings) =>
      JSON.stringify(ledgerOf(list, 'EUR', () => true, how).map(({ bookings, credits }) => [bookings, credits]));
    fc.assert(
      fc.property(fc.shuffledSubarray(events, { minLength: events.length }), settings, (shuffled, how) => {
        expect(told(shuffled, how)).toBe(told(events, how));
      }),
    );
  });
});

describe('what counts of an order', () => {
  const one: OrderMoney = {
    placedAt: PLACED,
    valueMinor: 12_100,
    discountMinor: 1_000,
    taxMinor: 2_100,
    shippingMinor: 500,
    paidBack: [],
    cancelledAt: null,
  };
  const how = (more: Partial<RevenueSettings>): RevenueSettings => ({ ...usualRevenue(), ...more });

  it('is what was paid; by choice without tax and shipping, and as if no discount had been given', () => {
    expect(countedMinor(one, usualRevenue())).toBe(12_100);
    expect(countedMinor(one, how({ without: { tax: true, shipping: false } }))).toBe(10_000);
    expect(countedMinor(one, how({ without: { tax: true, shipping: true }, beforeDiscount: true }))).toBe(10_500);
    expect(sayCounted(usualRevenue())).toBe('after discounts, as paid, with tax and shipping, refunds on the day of the order');
    expect(sayCounted(how({ without: { tax: true, shipping: true }, beforeDiscount: true, paidBack: 'on-day' }))).toBe(
      'before discounts, without tax and shipping, refunds on their day',
    );
  });

  it('what is paid back takes its share of that along, on the day of the order or on its own', () => {
    const half = { ...one, paidBack: [{ at: PLACED + 9 * DAY, minor: 6_050 }] };
    const net = how({ without: { tax: true, shipping: false } });
    expect(bookingsOf(half, net)).toEqual([{ part: 0, at: PLACED, minor: 5_000 }]);
    expect(bookingsOf(half, { ...net, paidBack: 'on-day' })).toEqual([
      { part: 0, at: PLACED, minor: 10_000 },
      { part: 1, at: PLACED + 9 * DAY, minor: -5_000 },
    ]);
    expect(bookingsOf({ ...half, cancelledAt: PLACED + 10 * DAY }, { ...net, paidBack: 'on-day' }).map(({ minor: part }) => part)).toEqual([
      10_000, -5_000, -5_000,
    ]);
  });

  it('settings that are none are refused: a window beyond 90 days, a model that is not there', () => {
    expect(revenueSettingsSchema.safeParse(usualRevenue()).success).toBe(true);
    expect(revenueSettingsSchema.safeParse(how({ model: 'best' as never })).success).toBe(false);
    expect(
      revenueSettingsSchema.safeParse(how({ windows: { ...usualRevenue().windows, email: { clicked: 91, opened: 2, delivered: null } } }))
        .success,
    ).toBe(false);
  });
});

describe('weights', () => {
  const contacts: Contact[] = Array.from({ length: 400 }, (_, n) => ({
    sendId: String(n + 1),
    did: 'clicked',
    at: PLACED - (400 - n) * HOUR,
  }));
  it('of a great many messages still make one of them count, and all of the order is shared', () => {
    for (const model of CREDIT_MODELS) {
      const weights = weightsOf(model, contacts, PLACED, usualRevenue());
      expect(Math.max(...weights)).toBeGreaterThan(0);
      const credits = allCredits([{ part: 0, at: PLACED, minor: 1 }], contacts, PLACED, usualRevenue()).filter(
        (one) => one.model === model,
      );
      expect(credits.reduce((sum, { minor: amount }) => sum + amount, 0)).toBe(1);
    }
  });
});
