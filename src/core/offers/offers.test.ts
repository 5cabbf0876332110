import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { evaluate, factsOf, type FactEvent } from '../rules';
import {
  askedCartSchema,
  checkCode,
  CODE_LETTERS,
  codeOf,
  expiryOf,
  guardRules,
  isOver,
  offerSchema,
  prefixOf,
  sayExpires,
  sayGuard,
  sayTerms,
} from '.';
import type { Offer } from '.';

const ZONE = 'Europe/Amsterdam';
const at = (iso: string) => Date.parse(iso);
const NOW = at('2026-11-26T10:00:00Z');

const tenOff = (more: object = {}): Offer =>
  offerSchema.parse({
    schema: 'viatic.offer/1',
    name: 'Ten off',
    gives: { kind: 'percent', percent: 10 },
    currency: 'EUR',
    combines: false,
    expires: { after: 'P3D' },
    comesBack: true,
    who: null,
    guard: {},
    code: { prefix: '', letters: 6 },
    ...more,
  });
const state = (offer: Offer, more: object = {}) => ({
  offer,
  isArchived: false,
  issuedAt: NOW - 1000,
  expiresAt: null,
  usedAt: null,
  isTheirs: null,
  ...more,
});
const cart = (items: { price: number; quantity?: number; sku?: string; category?: string }[], more: object = {}) =>
  askedCartSchema.parse({ currency: 'EUR', items, ...more });
const check = (offer: Offer, asked: ReturnType<typeof cart>, more: object = {}) =>
  checkCode(state(offer, more), asked, NOW, (moment) => sayExpires(moment, ZONE));

describe('how long a code counts', () => {
  it('days go to the end of the last of them by the store’s clock, hours are exact, and a clock change moves nothing', () => {
    const after = (duration: string, from: string) =>
      new Date(expiryOf(tenOff({ expires: { after: duration } }), at(from), ZONE)!).toISOString();
    expect(after('P3D', '2026-11-26T10:37:12Z')).toBe('2026-11-29T23:00:00.000Z');
    expect(after('PT6H', '2026-11-26T10:37:12Z')).toBe('2026-11-26T16:37:12.000Z');
    // clocks go back on 25 October 2026 (IANA, Europe/Amsterdam): the day has 25 hours
    expect(after('P1D', '2026-10-24T20:00:00Z')).toBe('2026-10-25T23:00:00.000Z');
    expect(expiryOf(tenOff({ expires: null }), NOW, ZONE)).toBeNull();
  });

  it('up to a day, counted in; then the offer is over', () => {
    const offer = tenOff({ expires: { on: '2026-12-24' } });
    expect(new Date(expiryOf(offer, NOW, ZONE)!).toISOString()).toBe('2026-12-24T23:00:00.000Z');
    expect([isOver(offer, at('2026-12-24T22:59:59Z'), ZONE), isOver(offer, at('2026-12-24T23:00:00Z'), ZONE)]).toEqual([false, true]);
  });

  it('is read as the last day on which it counts, with a time of day where it ends within one', () => {
    expect(sayExpires(at('2026-11-29T23:00:00Z'), ZONE)).toBe('Sunday 29 November');
    expect(sayExpires(at('2026-11-26T16:30:00Z'), ZONE)).toBe('Thursday 26 November, 17:30');
  });
});

describe('what a code takes off', () => {
  it('a share of the cart, rounded once, and shared among its lines so that they sum to it', () => {
    // 3 × 3.33 = 9.99, of which a tenth is 0.999: one euro, halves up
    const thirds = check(tenOff(), cart([{ price: 3.33 }, { price: 3.33 }, { price: 3.33 }]));
    expect(thirds).toMatchObject({ valid: true, discount: { minor: 100, currency: 'EUR' }, lines: [34, 33, 33] });
    expect(check(tenOff({ gives: { kind: 'percent', percent: 12.5 } }), cart([{ price: 0.2, quantity: 2 }])).discount.minor).toBe(5);
  });

  it('an amount, never more than what it is taken of', () => {
    const five = tenOff({ gives: { kind: 'amount', amount: 5 } });
    expect(check(five, cart([{ price: 3 }])).discount.minor).toBe(300);
    expect(check(five, cart([{ price: 30 }, { price: 10 }]))).toMatchObject({ discount: { minor: 500 }, lines: [375, 125] });
  });

  it('only of the products and categories that it names', () => {
    const food = tenOff({ only: { products: ['N1'], categories: ['food'] } });
    const asked = cart([
      { price: 100, sku: 'T1', category: 'tanks' },
      { price: 10, sku: 'N1' },
      { price: 20, sku: 'N2', category: 'food' },
    ]);
    expect(check(food, asked)).toMatchObject({ discount: { minor: 300 }, lines: [0, 100, 200] });
    expect(check(food, cart([{ price: 100, sku: 'T1' }]))).toMatchObject({ valid: false, why: 'nothing' });
  });

  it('free shipping and a gift take nothing off the lines', () => {
    expect(check(tenOff({ gives: { kind: 'shipping' } }), cart([{ price: 9 }]))).toMatchObject({
      valid: true,
      freeShipping: true,
      discount: { minor: 0 },
    });
    expect(check(tenOff({ gives: { kind: 'gift', sku: 'G1', name: 'Net' } }), cart([{ price: 9 }])).gift).toEqual({
      sku: 'G1',
      name: 'Net',
    });
  });

  it('law: whatever the cart, the lines sum to the discount, which is never more than they come to', () => {
    const line = fc.record({
      price: fc.integer({ min: 0, max: 500_000 }).map((minor) => minor / 100),
      quantity: fc.integer({ min: 0, max: 20 }),
    });
    const gives = fc.oneof(
      fc.integer({ min: 1, max: 10_000 }).map((bp) => ({ kind: 'percent' as const, percent: bp / 100 })),
      fc.integer({ min: 1, max: 100_000 }).map((minor) => ({ kind: 'amount' as const, amount: minor / 100 })),
    );
    fc.assert(
      fc.property(fc.array(line, { minLength: 1, maxLength: 8 }), gives, (items, given) => {
        const checked = check(tenOff({ gives: given }), cart(items));
        const worth = items.map((one) => Math.round(one.price * 100) * one.quantity);
        const total = worth.reduce((a, b) => a + b, 0);
        expect(checked.lines.reduce((a, b) => a + b, 0)).toBe(checked.discount.minor);
        expect(checked.discount.minor).toBeLessThanOrEqual(total);
        checked.lines.forEach((minor, index) => expect(minor).toBeLessThanOrEqual(worth[index]!));
        expect(checked.valid).toBe(total > 0);
      }),
    );
  });

  it.each([
    ['is not on file', null, {}, 'unknown', /no such code/],
    ['has been used', { usedAt: NOW - 1 }, {}, 'used', /been used/],
    ['is over, and says since when', { expiresAt: NOW }, {}, 'expired', /up to Thursday 26 November, 11:00/],
    ['is somebody else’s', { isTheirs: false }, {}, 'not-theirs', /somebody else/],
    ['counts in another currency', {}, { currency: 'GBP' }, 'currency', /EUR only/],
    ['does not go with another', {}, { codes: ['OTHER'] }, 'other-code', /another/],
    ['has a minimum, and says what is missing', {}, {}, 'minimum', /from €100 up: €40\.00 more/],
  ])('one that %s does not count', (_, held, more, why, because) => {
    const offer = tenOff({ ...(why === 'minimum' && { minimum: 100 }) });
    const asked = cart([{ price: 60 }], more);
    const checked = checkCode(held && state(offer, held), asked, NOW, (moment) => sayExpires(moment, ZONE));
    expect(checked).toMatchObject({ valid: false, why, discount: { minor: 0 } });
    expect(checked.because).toMatch(because);
  });

  it('counts up to the very moment before its end, and of yen there are no parts', () => {
    expect(check(tenOff(), cart([{ price: 10 }]), { expiresAt: NOW + 1 }).valid).toBe(true);
    const yen = tenOff({ currency: 'JPY' });
    expect(check(yen, cart([{ price: 1005 }], { currency: 'JPY' })).discount).toEqual({ currency: 'JPY', minor: 101 });
  });
});

describe('the terms', () => {
  it('are said as a shopper reads them', () => {
    expect(sayTerms(tenOff({ minimum: 100 }))).toBe('10 % off from €100');
    expect(sayTerms(tenOff({ gives: { kind: 'amount', amount: 7.5 }, minimum: 50 }))).toBe('€7.50 off from €50');
    expect(sayTerms(tenOff({ gives: { kind: 'shipping' }, only: { products: [], categories: ['food'] } }))).toBe('free shipping food');
  });

  it('what makes no sense is refused with its place', () => {
    const wrong = (more: object) => offerSchema.safeParse({ ...tenOff(), ...more }).error?.issues.map((issue) => issue.path.join('.'));
    expect(wrong({ gives: { kind: 'percent', percent: 120 } })).toEqual(['gives.percent']);
    expect(wrong({ gives: { kind: 'amount', amount: 10.001 } })).toEqual(['gives.amount']);
    expect(wrong({ gives: { kind: 'amount', amount: 60 }, minimum: 50 })).toEqual(['minimum']);
    expect(wrong({ currency: 'XXQ' })).toEqual(['currency']);
    expect(wrong({ code: { prefix: '{{ person.firstName', letters: 6 } })).toBeTruthy();
    expect(wrong({ only: { products: [], categories: [] } })).toEqual(['only']);
  });
});

describe('the letters of a code', () => {
  it('hold none that is taken for another, and the prefix leaves plain capitals of whatever somebody is called', () => {
    for (const letter of '01OILUilo') expect(CODE_LETTERS).not.toContain(letter);
    expect(new Set(CODE_LETTERS).size).toBe(30);
    expect(prefixOf('Zoë-Straße ❤ 12345678')).toBe('ZOESTRASSE12');
    expect(prefixOf('<script>')).toBe('SCRIPT');
    let n = 0;
    expect(codeOf('FIN', 6, () => (n += 1) % 30)).toBe('FIN-BCDEFG');
    expect(codeOf('', 6, () => 0)).toBe('AAAAAA');
  });
});

describe('a guard', () => {
  const event = (type: string, iso: string, properties: FactEvent['properties'] = {}, id = iso): FactEvent => ({
    id,
    type,
    time: at(iso),
    properties,
  });
  const keeps = (guard: Offer['guard'], events: FactEvent[], enteredAt = at('2026-11-26T08:00:00Z')) => {
    const facts = factsOf('1', { events: [...events].sort((a, b) => a.time - b.time) });
    return guardRules('ten', guard, 'carts')
      .filter(({ rule }) => evaluate(rule, facts, { now: NOW, zone: ZONE, enteredAt }).holds)
      .map(({ why }) => why);
  };
  const issued = (iso: string, offer = 'ten') => event('code.issued', iso, { offer });
  const order = (iso: string, more: FactEvent['properties'] = {}) => event('order.placed', iso, { orderId: iso, value: 50, ...more });

  it('keeps it from who has had one: of this offer ever, or of any within a while', () => {
    expect(keeps({ once: true }, [issued('2025-01-01T00:00:00Z')])).toEqual(['once']);
    expect(keeps({ once: true }, [issued('2025-01-01T00:00:00Z', 'other')])).toEqual([]);
    expect(keeps({ gap: 'P30D' }, [issued('2026-11-01T00:00:00Z', 'other')])).toEqual(['gap']);
    expect(keeps({ gap: 'P30D' }, [issued('2026-10-01T00:00:00Z', 'other')])).toEqual([]);
  });

  it('keeps it from who leaves cart after cart, unless they buy in between', () => {
    const left = [1, 2, 3].map((n) => event('cart.updated', `2026-11-2${n}T09:00:00Z`, { cartId: `c${n}` }));
    expect(keeps({ carts: { over: 2, within: 'P30D' } }, left)).toEqual(['carts']);
    // the same cart, updated again, is one
    expect(
      keeps(
        { carts: { over: 2, within: 'P30D' } },
        left.map((one) => ({ ...one, properties: { cartId: 'c1' } })),
      ),
    ).toEqual([]);
    expect(keeps({ carts: { over: 2, within: 'P30D' } }, [...left, order('2026-11-22T12:00:00Z')])).toEqual([]);
  });

  it('keeps it from who has only ever bought at a discount', () => {
    const [cheap, cheaper] = [order('2026-10-01T00:00:00Z', { discount: 5 }), order('2026-10-02T00:00:00Z', { discount: 5 })];
    expect(keeps({ always: 2 }, [cheap, cheaper])).toEqual(['always']);
    expect(keeps({ always: 2 }, [cheap])).toEqual([]);
    expect(keeps({ always: 2 }, [cheap, cheaper, order('2026-10-03T00:00:00Z')])).toEqual([]);
    expect(keeps({ always: 2 }, [cheap, cheaper, order('2026-10-03T00:00:00Z', { discount: 0 })])).toEqual([]);
  });

  it('keeps it from who has an order on its way, until it is there', () => {
    expect(keeps({ underway: 'P14D' }, [order('2026-11-20T00:00:00Z')])).toEqual(['underway']);
    expect(keeps({ underway: 'P14D' }, [order('2026-11-20T00:00:00Z'), event('order.delivered', '2026-11-23T00:00:00Z')])).toEqual([]);
    expect(keeps({ underway: 'P14D' }, [order('2026-11-01T00:00:00Z')])).toEqual([]);
  });

  it('gives it only after so many messages of the flow without one', () => {
    const sent = (iso: string, flow = 'carts') => event('message.sent', iso, { flow });
    expect(keeps({ after: 2 }, [sent('2026-11-26T08:30:00Z')])).toEqual(['after']);
    expect(keeps({ after: 2 }, [sent('2026-11-26T08:30:00Z'), sent('2026-11-26T09:30:00Z')])).toEqual([]);
    expect(keeps({ after: 2 }, [sent('2026-11-26T08:30:00Z'), sent('2026-11-26T09:30:00Z', 'other')])).toEqual(['after']);
  });

  it('is said as clauses', () => {
    expect(sayGuard({ once: true, gap: 'P30D', carts: { over: 3, within: 'P60D' }, shared: true })).toEqual([
      'had one of this offer before',
      'had one within 30 days',
      'left more than 3 carts within 60 days without buying',
      'shares an address or a phone number with somebody who had one',
    ]);
    expect(sayGuard({ once: false })).toEqual([]);
  });
});
