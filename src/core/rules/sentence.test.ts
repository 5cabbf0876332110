import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { CHANNELS } from './channel';
import { ruleSchema } from './rule';
import { sayRule } from './sentence';
import { sayEvent, sayName, sayTriggerProperty, sayValue } from './wording';

const say = (rule: unknown, wording = {}) => sayRule(ruleSchema.parse(rule), wording);

describe('a value', () => {
  it.each([
    [undefined, 'not known'],
    [null, 'not known'],
    [true, 'yes'],
    [false, 'no'],
    ['NL', '“NL”'],
    ['', '“”'],
    [12, '12'],
    [0.1, '0.1'],
    [-4.5, '-4.5'],
    [1234567.5, '1,234,567.5'],
    [['a'], '1 entry'],
    [['a', 'b'], '2 entries'],
    [[], '0 entries'],
    [{ a: 1 }, 'a group of values'],
  ])('%j is said as %s', (value, words) => expect(sayValue(value as never)).toBe(words));

  it.each([
    [100, 'EUR', '€100.00'],
    [100, 'JPY', '¥100'],
    [0.5, 'EUR', '€0.50'],
    [1.005, 'EUR', '€1.01'],
    [12.3456, 'KWD', /12\.346/],
  ])('%d in %s has as many digits as ISO 4217 gives the currency', (value, currency, words) => {
    if (typeof words === 'string') expect(sayValue(value, currency).replace('JP¥', '¥')).toBe(words);
    else expect(sayValue(value, currency)).toMatch(words);
  });
});

describe('names', () => {
  it.each([
    ['firstName', 'first name'],
    ['plan.renewal_date', 'plan renewal date'],
    ['country', 'country'],
    ['tankLitres', 'tank litres'],
  ])('%s is read as %s', (name, words) => expect(sayName(name)).toBe(words));

  it('an event that everybody has is a phrase, one of the app’s own is named as it is', () => {
    expect(sayEvent('order.placed')).toBe('placed an order');
    expect(sayEvent('lesson.finished')).toBe('did lesson.finished');
    expect(sayTriggerProperty('value', { triggerType: 'cart.updated' })).toBe('cart value');
    expect(sayTriggerProperty('itemCount', {})).toBe('event item count');
  });
});

describe('a test', () => {
  it.each([
    [{ test: 'attribute', name: 'country', op: 'is', value: 'NL' }, 'country is “NL”'],
    [{ test: 'attribute', name: 'country', op: 'isNot', value: 'NL' }, 'country is not “NL”'],
    [{ test: 'attribute', name: 'country', op: 'oneOf', value: ['NL', 'BE'] }, 'country is “NL” or “BE”'],
    [{ test: 'attribute', name: 'points', op: 'atLeast', value: 10 }, 'points is at least 10'],
    [{ test: 'attribute', name: 'points', op: 'above', value: 10 }, 'points is above 10'],
    [{ test: 'attribute', name: 'points', op: 'atMost', value: 10 }, 'points is at most 10'],
    [{ test: 'attribute', name: 'points', op: 'below', value: 10 }, 'points is below 10'],
    [{ test: 'attribute', name: 'firstName', op: 'contains', value: 'an' }, 'first name contains “an”'],
    [{ test: 'attribute', name: 'zone', op: 'known' }, 'zone is known'],
    [{ test: 'attribute', name: 'zone', op: 'unknown' }, 'zone is not known'],
    [{ test: 'consent', channel: 'email', reachable: true }, 'can be emailed'],
    [{ test: 'consent', channel: 'email', reachable: false }, 'cannot be emailed'],
    [{ test: 'list', list: 'keepers', member: true }, 'is on the list keepers'],
    [{ test: 'list', list: 'keepers', member: false }, 'is not on the list keepers'],
    [{ test: 'tag', tag: 'vip', has: true }, 'has the tag vip'],
    [{ test: 'tag', tag: 'vip', has: false }, 'does not have the tag vip'],
    [{ test: 'did', event: 'order.placed', since: 'ever' }, 'has placed an order'],
    [{ test: 'didNot', event: 'order.placed', since: 'entry' }, 'has not placed an order since entering'],
    [{ test: 'did', event: 'order.placed', times: 2, since: 'ever' }, 'has placed an order at least twice'],
    [{ test: 'did', event: 'order.placed', times: 3, since: { last: 'P30D' } }, 'has placed an order at least 3 times in the last 30 days'],
    [
      {
        test: 'did',
        event: 'order.placed',
        since: 'ever',
        where: [
          {
            property: 'items',
            any: [
              { property: 'sku', op: 'is', value: 'tank-60' },
              { property: 'price', op: 'atLeast', value: 50 },
            ],
          },
          { property: 'discount', op: 'is', value: 0 },
        ],
      },
      'has placed an order whose discount is 0 and with one of its items whose sku is “tank-60” and price is at least 50',
    ],
    [{ test: 'attribute', name: 'country', op: 'noneOf', value: ['NL', 'BE'] }, 'country is none of “NL” or “BE”'],
    [{ test: 'attribute', name: 'postcode', op: 'startsWith', value: '10' }, 'postcode begins with “10”'],
    [{ test: 'attribute', name: 'litres', op: 'between', value: [60, 240] }, 'litres is between 60 and 240'],
    [{ test: 'did', event: 'flow.called', since: 'ever' }, 'has been put into a flow by hand'],
    [{ test: 'did', event: 'order.placed', times: { exactly: 1 }, since: 'ever' }, 'has placed an order exactly once'],
    [{ test: 'didNot', event: 'order.placed', times: { atMost: 2 }, since: 'ever' }, 'has not placed an order at most twice'],
    [
      { test: 'did', event: 'order.placed', times: { from: 2, to: 4 }, since: { ago: 'P30D' } },
      'has placed an order 2 to 4 times more than 30 days ago',
    ],
    [
      {
        test: 'did',
        event: 'order.placed',
        since: { from: '2026-10-01', to: '2026-10-31' },
        hours: { weekdays: [7, 6], from: '18:00', to: '09:00' },
      },
      'has placed an order between 1 Oct 2026 and 31 Oct 2026 on a Saturday or Sunday between 18:00 and 09:00',
    ],
    [{ test: 'did', event: 'order.placed', since: { from: '2026-10-01' } }, 'has placed an order since 1 Oct 2026'],
    [{ test: 'did', event: 'order.placed', since: { to: '2026-10-01' } }, 'has placed an order up to 1 Oct 2026'],
    [{ test: 'did', event: 'order.placed', since: { last: 'P1D' } }, 'has placed an order in the last day'],
    [{ test: 'did', event: 'order.placed', since: { last: 'PT36H' } }, /in the last (36 hours|1 day 12 hours)$/],
    [
      {
        test: 'did',
        event: 'lesson.finished',
        since: 'ever',
        where: [
          { property: 'score', op: 'atLeast', value: 8 },
          { property: 'courseName', op: 'is', value: 'Plants' },
        ],
      },
      'has done lesson.finished whose score is at least 8 and course name is “Plants”',
    ],
  ] as [unknown, string | RegExp][])('%j', (rule, words) => {
    if (typeof words === 'string') expect(say(rule)).toBe(words);
    else expect(say(rule)).toMatch(words);
  });

  it('an amount of money is said in its currency, whether of the event that starts or of one that happened', () => {
    const wording = { triggerType: 'cart.updated', currency: 'EUR' };
    expect(say({ test: 'trigger', property: 'value', op: 'atLeast', value: 100 }, wording)).toBe('cart value is at least €100.00');
    expect(say({ test: 'trigger', property: 'itemCount', op: 'above', value: 3 }, wording)).toBe('cart item count is above 3');
    expect(
      say({ test: 'did', event: 'order.placed', since: 'ever', where: [{ property: 'value', op: 'above', value: 1000 }] }, wording),
    ).toBe('has placed an order whose value is above €1,000.00');
  });
});

describe('a group', () => {
  const a = { test: 'tag', tag: 'a', has: true };
  const b = { test: 'tag', tag: 'b', has: true };
  it.each([
    [{ all: [] }, 'anyone'],
    [{ any: [] }, 'no one'],
    [{ none: [] }, 'anyone'],
    [{ all: [a] }, 'has the tag a'],
    [{ all: [a, b] }, 'has the tag a and has the tag b'],
    [{ any: [a, b] }, 'has the tag a or has the tag b'],
    [{ none: [a, b] }, 'none of: has the tag a; has the tag b'],
    [{ all: [a, { any: [a, b] }] }, 'has the tag a and (has the tag a or has the tag b)'],
    [{ any: [{ all: [a, b] }, b] }, '(has the tag a and has the tag b) or has the tag b'],
    [{ all: [{ any: [a] }, b] }, 'has the tag a and has the tag b'],
  ] as [unknown, string][])('%j', (rule, words) => expect(say(rule)).toBe(words));

  it('is said alike each time, and apart in each currency', () => {
    const rule = ruleSchema.parse({ test: 'trigger', property: 'value', op: 'above', value: 5 });
    expect(sayRule(rule, { currency: 'EUR' })).toBe(sayRule(rule, { currency: 'EUR' }));
    expect(sayRule(rule, { currency: 'EUR' })).not.toBe(sayRule(rule, { currency: 'SEK' }));
  });
});

const comparison = fc.oneof(
  fc.record({
    op: fc.constantFrom('is', 'isNot'),
    value: fc.oneof(fc.string({ maxLength: 20 }), fc.double({ noNaN: true, noDefaultInfinity: true }), fc.boolean()),
  }),
  fc.record({
    op: fc.constantFrom('atLeast', 'above', 'atMost', 'below'),
    value: fc.double({ noNaN: true, noDefaultInfinity: true, min: -1e9, max: 1e9 }),
  }),
  fc.record({ op: fc.constant('contains'), value: fc.string({ maxLength: 20 }) }),
  fc.record({ op: fc.constant('oneOf'), value: fc.array(fc.string({ maxLength: 8 }), { minLength: 1, maxLength: 4 }) }),
  fc.record({ op: fc.constantFrom('known', 'unknown') }),
);
const name = fc.stringMatching(/^[a-z][a-zA-Z]{0,8}$/);
const leaf = fc.oneof(
  fc.tuple(name, comparison).map(([n, c]) => ({ test: 'attribute', name: n, ...c })),
  fc.tuple(name, comparison).map(([n, c]) => ({ test: 'trigger', property: n, ...c })),
  fc.record({ test: fc.constant('consent'), channel: fc.constantFrom(...CHANNELS), reachable: fc.boolean() }),
  fc.record({
    test: fc.constantFrom('did', 'didNot'),
    event: fc.constantFrom('order.placed', 'a.b'),
    times: fc.integer({ min: 1, max: 9 }),
    since: fc.constantFrom('ever', 'entry', { last: 'P1W' }, { last: 'PT90M' }),
    where: fc.array(
      fc.tuple(name, comparison).map(([property, c]) => ({ property, ...c })),
      { maxLength: 2 },
    ),
  }),
);
const { rule } = fc.letrec<{ rule: unknown }>((tie) => ({
  rule: fc.oneof(
    { depthSize: 'small' },
    leaf as fc.Arbitrary<unknown>,
    fc.record({ all: fc.array(tie('rule'), { maxLength: 3 }) }),
    fc.record({ any: fc.array(tie('rule'), { maxLength: 3 }) }),
    fc.record({ none: fc.array(tie('rule'), { maxLength: 3 }) }),
  ),
}));

describe('laws', () => {
  it('every rule there can be is a sentence of one line, with its brackets closed and nothing of ours in it', () => {
    fc.assert(
      fc.property(rule, (input) => {
        const parsed = ruleSchema.safeParse(input);
        if (!parsed.success) return;
        const bare = sayRule(parsed.data, { triggerType: 'cart.updated', currency: 'EUR' }).replaceAll(/“[^”]*”/gs, '“”');
        expect(bare.trim()).not.toBe('');
        expect(bare).not.toMatch(/undefined|\[object|NaN|Infinity/);
        let open = 0;
        for (const character of bare) {
          if (character === '(') open += 1;
          if (character === ')') open -= 1;
          expect(open).toBeGreaterThanOrEqual(0);
        }
        expect(open).toBe(0);
      }),
      { numRuns: 500 },
    );
  });

  it('two rules that ask for different numbers, tags or channels are told apart', () => {
    fc.assert(
      fc.property(fc.integer({ min: -1e6, max: 1e6 }), fc.integer({ min: -1e6, max: 1e6 }), (a, b) => {
        const of = (value: number) => say({ test: 'attribute', name: 'points', op: 'above', value });
        expect(of(a) === of(b)).toBe(a === b);
      }),
    );
    expect(
      new Set(CHANNELS.flatMap((channel) => [true, false].map((reachable) => say({ test: 'consent', channel, reachable })))).size,
    ).toBe(CHANNELS.length * 2);
  });
});
