import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { addDuration, DAY, HOUR, MINUTE, subtractDuration } from '../time';
import { dependsOn, wakesOn } from './needs';
import { evaluate } from './evaluate';
import { factsOf, type FactEvent, type Facts, type Reach } from './facts';
import { ruleSchema, type Rule } from './rule';
import { sayRule } from './sentence';
import type { Times } from './tests';
import type { Since } from './when';

const NOW = Date.parse('2026-11-24T12:00:00Z');
const OPEN: Reach = { hasAddress: true, state: 'given', suppressed: null, pausedUntil: null };
const view = { now: NOW, zone: 'Europe/Amsterdam' };
let ids = 0;
const event = (type: string, time: number, properties: FactEvent['properties'] = {}): FactEvent => ({
  id: String(++ids),
  type,
  time,
  properties,
});
const facts = (more: Partial<Facts> & { email?: Reach } = {}): Facts => factsOf('1', { ...more, reach: { email: more.email ?? OPEN } });
const holds = (
  rule: Rule,
  known: Facts,
  at: Partial<typeof view> & { enteredAt?: number; about?: { eventId: string; data: FactEvent['properties'] } } = {},
) => evaluate(rule, known, { ...view, ...at }).holds;

describe('tests on a person', () => {
  const is = (op: string, value?: unknown): Rule =>
    ruleSchema.parse({ test: 'attribute', name: 'country', op, ...(value !== undefined && { value }) });

  it('compares attributes as written; what is not known fails all but "is not" and "is not known"', () => {
    const dutch = facts({ attributes: { country: 'NL' } });
    expect(holds(is('is', 'NL'), dutch)).toBe(true);
    expect(holds(is('is', 'nl'), dutch)).toBe(false);
    expect(holds(is('oneOf', ['DE', 'NL']), dutch)).toBe(true);
    expect(holds(is('contains', 'N'), dutch)).toBe(true);
    for (const [op, value, answer] of [
      ['is', 'NL', false],
      ['isNot', 'NL', true],
      ['known', undefined, false],
      ['unknown', undefined, true],
      ['oneOf', ['NL'], false],
    ] as const) {
      expect(holds(is(op, value), facts()), op).toBe(answer);
    }
  });

  it('numbers only compare with numbers', () => {
    const rule = ruleSchema.parse({ test: 'attribute', name: 'points', op: 'atLeast', value: 10 });
    expect(holds(rule, facts({ attributes: { points: 10 } }))).toBe(true);
    expect(holds(rule, facts({ attributes: { points: '10' } }))).toBe(false);
  });

  it('somebody can be emailed who has an address, agreed, and is not suppressed; otherwise it says what is missing', () => {
    const rule: Rule = { test: 'consent', channel: 'email', reachable: true };
    expect(holds(rule, facts())).toBe(true);
    for (const [reach, why] of [
      [{ hasAddress: false }, 'no email address'],
      [{ state: 'unknown' }, 'no consent'],
      [{ state: 'withdrawn' }, 'withdrawn'],
      [{ suppressed: 'bounced' }, 'bounced'],
    ] as const) {
      const answer = evaluate(rule, facts({ email: { ...OPEN, ...reach } }), view);
      expect(answer.holds).toBe(false);
      expect(answer.because.saw).toContain(why);
    }
  });
});

describe('tests on what happened', () => {
  const ordered: Rule = { test: 'did', event: 'order.placed', since: { last: 'P30D' } };

  it('counts what lies within the window, looks at properties, and asks for a number of times', () => {
    const two = facts({ events: [event('order.placed', NOW - 40 * DAY, { value: 20 }), event('order.placed', NOW - DAY, { value: 120 })] });
    expect(holds(ordered, two)).toBe(true);
    expect(holds({ ...ordered, times: 2 } as Rule, two)).toBe(false);
    expect(holds({ test: 'did', event: 'order.placed', times: 2, since: 'ever' }, two)).toBe(true);
    expect(
      holds({ test: 'did', event: 'order.placed', since: 'ever', where: [{ property: 'value', op: 'atLeast', value: 200 }] }, two),
    ).toBe(false);
    expect(holds({ test: 'didNot', event: 'order.cancelled', since: 'ever' }, two)).toBe(true);
  });

  it('tells the very moment at which the answer changes with no new fact: when the 30 days are up', () => {
    const known = facts({ events: [event('order.placed', NOW - 29 * DAY)] });
    const { until } = evaluate(ordered, known, view);
    expect(until).toBe(NOW + DAY);
    expect(holds(ordered, known, { now: until! - 1 })).toBe(true);
    expect(holds(ordered, known, { now: until! })).toBe(false);
  });

  it('"since entering" takes in the moment of entry, but not the event that started the run', () => {
    const start = event('order.placed', NOW);
    const rule: Rule = { test: 'didNot', event: 'order.placed', since: 'entry' };
    expect(holds(rule, facts({ events: [start] }), { enteredAt: NOW, about: { eventId: start.id, data: {} } })).toBe(true);
    expect(
      holds(rule, facts({ events: [start, event('order.placed', NOW)] }), { enteredAt: NOW, about: { eventId: start.id, data: {} } }),
    ).toBe(false);
    expect(holds(rule, facts({ events: [event('order.placed', NOW - 1)] }), { enteredAt: NOW })).toBe(true);
  });

  it('an event stamped ahead of our clock counts when its moment has come', () => {
    const ahead = facts({ events: [event('order.placed', NOW + HOUR)] });
    expect(evaluate(ordered, ahead, view)).toMatchObject({ holds: false, until: NOW + HOUR });
    expect(holds(ordered, ahead, { now: NOW + HOUR })).toBe(true);
  });
});

describe('comparisons', () => {
  const is = (op: string, value: unknown, on: Facts['attributes']) =>
    holds(ruleSchema.parse({ test: 'attribute', name: 'a', op, value }), facts({ attributes: on }));
  it('none of: what is not known is none of them; begins with: as written; between: both ends counted in, and only numbers', () => {
    expect([is('noneOf', ['x', 1], { a: 'x' }), is('noneOf', ['x', 1], { a: 'y' }), is('noneOf', ['x'], {})]).toEqual([false, true, true]);
    expect([is('startsWith', '10', { a: '1012 AB' }), is('startsWith', 'N', { a: 'nl' }), is('startsWith', '1', { a: 10 })]).toEqual([
      true,
      false,
      false,
    ]);
    expect([10, 60, 240, 241].map((a) => is('between', [60, 240], { a }))).toEqual([false, true, true, false]);
    expect(is('between', [60, 240], { a: '100' })).toBe(false);
    for (const [op, value] of [
      ['between', [2, 1]],
      ['between', [1]],
      ['between', 1],
      ['startsWith', 1],
      ['noneOf', 'x'],
    ])
      expect(ruleSchema.safeParse({ test: 'attribute', name: 'a', op, value }).success, `${op as string} ${JSON.stringify(value)}`).toBe(
        false,
      );
  });
});

describe('what it comes to', () => {
  const bought = (...values: [number, unknown][]) =>
    facts({
      events: values
        .map(([ago, value]) => event('order.placed', NOW - ago, { value } as FactEvent['properties']))
        .sort((a, b) => a.time - b.time),
    });
  const total = (take: string, op: string, value: unknown, since: unknown = 'ever'): Rule =>
    ruleSchema.parse({ test: 'total', event: 'order.placed', of: 'value', take, op, value, since });
  const three = bought([DAY, 0.1], [2 * DAY, 0.2], [40 * DAY, 60]);

  it('sum, average, largest, smallest and how many different; what is no number is not added', () => {
    expect(holds(total('sum', 'is', 60.3), three)).toBe(true);
    // 0.1 and 0.2 are 0.3, whatever binary fractions make of it
    expect(holds(total('sum', 'is', 0.3, { last: 'P30D' }), three)).toBe(true);
    expect(holds(total('average', 'between', [20.09, 20.11]), three)).toBe(true);
    expect([holds(total('largest', 'is', 60), three), holds(total('smallest', 'is', 0.1), three)]).toEqual([true, true]);
    expect(holds(total('different', 'is', 2), bought([1, 5], [2, 5], [3, '5'], [4, null]))).toBe(true);
    expect(holds(total('sum', 'is', 5), bought([1, 5], [2, 'five'], [3, null]))).toBe(true);
  });

  it('of nothing the sum is 0; average, largest and smallest are not known and fail every comparison', () => {
    expect([holds(total('sum', 'is', 0), bought()), holds(total('different', 'atMost', 0), bought())]).toEqual([true, true]);
    for (const take of ['average', 'largest', 'smallest'])
      for (const op of ['is', 'atLeast', 'atMost']) expect(holds(total(take, op, 0), bought()), take).toBe(false);
  });

  it('stands until the oldest that counts leaves the window, or the next comes to be long enough ago', () => {
    // 15 October 14:00 in Amsterdam, in summer time: sixty days on it is 14:00 in winter time
    expect(evaluate(total('sum', 'above', 50, { last: 'P60D' }), three, view)).toMatchObject({ holds: true, until: NOW + 20 * DAY + HOUR });
    expect(evaluate(total('sum', 'above', 50, { ago: 'P30D' }), three, view)).toMatchObject({ holds: true, until: NOW + 28 * DAY });
  });

  it('is said, and what was seen', () => {
    const rule = total('sum', 'atLeast', 200, { last: 'P90D' });
    const { because } = evaluate(rule, three, view, { currency: 'EUR' });
    expect(because.says).toBe('total value is at least €200.00 over every time they placed an order in the last 90 days');
    expect(because.saw).toBe('it was €60.30');
    expect(sayRule(total('different', 'above', 2))).toBe(
      'number of different values of value is above 2 over every time they placed an order',
    );
    expect(evaluate(total('largest', 'above', 2), bought(), view).because.saw).toBe('there was nothing to take it of');
    expect(dependsOn([rule])).toMatchObject([{ kind: 'event', name: 'order.placed', also: ['value'], since: { last: 'P90D' } }]);
    for (const wrong of [
      { op: 'between', value: 1 },
      { op: 'between', value: [2, 1] },
      { op: 'is', value: [1, 2] },
      { op: 'contains', value: 1 },
    ])
      expect(ruleSchema.safeParse({ test: 'total', event: 'a.a', of: 'value', take: 'sum', since: 'ever', ...wrong }).success).toBe(false);
  });
});

describe('the items of a list', () => {
  const order = (items: FactEvent['properties'][string]) =>
    facts({ events: [event('order.placed', NOW - HOUR, { items, codes: ['SPRING', 'ten'] })] });
  const bought = (...any: object[]): Rule =>
    ruleSchema.parse({ test: 'did', event: 'order.placed', since: 'ever', where: [{ property: 'items', any }] });
  const lines = [
    { sku: 'tank-60', price: 89 },
    { sku: 'plant', price: 6 },
  ];

  it('one item has to meet all that is asked; what two of them meet between them does not count', () => {
    const tank = { property: 'sku', op: 'startsWith', value: 'tank' };
    expect(holds(bought(tank, { property: 'price', op: 'atLeast', value: 50 }), order(lines))).toBe(true);
    expect(holds(bought(tank, { property: 'price', op: 'below', value: 10 }), order(lines))).toBe(false);
    expect(holds(bought(tank), order([]))).toBe(false);
    for (const none of [null, 'tank-60', { sku: 'tank-60' }, ['tank-60'], [['tank-60']]])
      expect(holds(bought(tank), order(none))).toBe(false);
  });

  it('a list of words contains what one of them is, as written', () => {
    const used = (value: string): Rule =>
      ruleSchema.parse({ test: 'did', event: 'order.placed', since: 'ever', where: [{ property: 'codes', op: 'contains', value }] });
    expect(['SPRING', 'spring', 'SPR', 'ten'].map((code) => holds(used(code), order(lines)))).toEqual([true, false, false, true]);
  });
});

describe('how often, and when', () => {
  const orders = (...ago: number[]) => facts({ events: ago.map((back) => event('order.placed', NOW - back)).reverse() });
  const did = (times: Times, since: Since = 'ever'): Rule => ({
    test: 'did',
    event: 'order.placed',
    times,
    since,
  });

  it('exactly, at most, and from so many to so many', () => {
    const two = orders(HOUR, DAY);
    expect([1, 2, 3].map((n) => holds(did({ exactly: n }), two))).toEqual([false, true, false]);
    expect([0, 1, 2, 3].map((n) => holds(did({ atMost: n }), two))).toEqual([false, false, true, true]);
    expect([did({ from: 0, to: 1 }), did({ from: 2, to: 5 }), did({ from: 3, to: 5 })].map((rule) => holds(rule, two))).toEqual([
      false,
      true,
      false,
    ]);
    expect(holds(did({ exactly: 0 }), orders())).toBe(true);
    expect(holds({ ...did({ exactly: 2 }), test: 'didNot' } as Rule, two)).toBe(false);
  });

  it('a count that has to be exact changes when the oldest that counts leaves the window, and when the one beyond it does', () => {
    const last30: { last: string } = { last: 'P30D' };
    expect(evaluate(did({ exactly: 2 }, last30), orders(DAY, 3 * DAY), view).until).toBe(NOW + 27 * DAY);
    expect(evaluate(did({ exactly: 2 }, last30), orders(DAY, 3 * DAY, 20 * DAY), view)).toMatchObject({
      holds: false,
      until: NOW + 10 * DAY,
    });
    expect(evaluate(did({ atMost: 1 }, last30), orders(DAY), view)).toMatchObject({ holds: true, until: null });
  });

  it('what is not long enough ago comes to be so', () => {
    const ago: { ago: string } = { ago: 'P30D' };
    const known = orders(10 * DAY, 40 * DAY);
    expect(evaluate(did(1, ago), known, view)).toMatchObject({ holds: true, until: null });
    expect(evaluate(did(2, ago), known, view)).toMatchObject({ holds: false, until: NOW + 20 * DAY });
    expect(evaluate(did({ exactly: 1 }, ago), known, view)).toMatchObject({ holds: true, until: NOW + 20 * DAY });
    // at the very moment it is long enough ago
    expect(holds(did(1, ago), orders(30 * DAY))).toBe(true);
    expect(holds(did(1, ago), orders(30 * DAY - 1))).toBe(false);
  });

  it('what has happened is in the last so long, or longer ago than that: never both, never neither, over changes of the clocks too', () => {
    const zones = fc.constantFrom('Europe/Amsterdam', 'America/New_York', 'Australia/Lord_Howe', 'Asia/Kathmandu');
    const moment = fc.integer({ min: Date.parse('2026-03-01'), max: Date.parse('2026-11-10') });
    fc.assert(
      fc.property(
        zones,
        moment,
        fc.constantFrom('P1D', 'P30D', 'P1M', 'PT36H', 'P1W'),
        fc.integer({ min: -HOUR, max: HOUR }),
        fc.boolean(),
        (zone, now, span, off, isNear) => {
          const time = Math.min(now, isNear ? subtractDuration(now, span, zone) + off : now - Math.abs(off) * 24);
          const known = facts({ events: [event('order.placed', time)] });
          const answers = [{ last: span }, { ago: span }].map((since) => holds(did(1, since), known, { now, zone }));
          expect(answers.filter(Boolean)).toHaveLength(1);
        },
      ),
      { numRuns: 600 },
    );
  });

  it('days of the calendar are those of the store, the first and the last counted in', () => {
    // 23 November 2026 lasts in Amsterdam (UTC+1) from 22 November 23:00 UTC to 23 November 23:00 UTC
    const day: { from: string; to: string } = { from: '2026-11-23', to: '2026-11-23' };
    const at = (text: string) => facts({ events: [event('order.placed', Date.parse(text))] });
    expect(
      ['2026-11-22T22:59:59.999Z', '2026-11-22T23:00:00Z', '2026-11-23T22:59:59.999Z', '2026-11-23T23:00:00Z'].map((text) =>
        holds(did(1, day), at(text)),
      ),
    ).toEqual([false, true, true, false]);
    expect(holds(did(1, { from: '2026-11-23' }), at('2026-11-24T09:00:00Z'))).toBe(true);
    expect(holds(did(1, { to: '2026-11-23' }), at('2026-11-24T09:00:00Z'))).toBe(false);
  });

  it('times of the week go by the clocks of the store, over midnight and over a change of the clocks', () => {
    const rule = (hours: object): Rule => ({ ...did(1), hours }) as Rule;
    const at = (text: string) => facts({ events: [event('order.placed', Date.parse(text))] });
    // 21 November 2026 is a Saturday (common calendar); 23:30 UTC is Sunday 00:30 in Amsterdam
    expect(holds(rule({ weekdays: [6] }), at('2026-11-21T22:30:00Z'))).toBe(true);
    expect(holds(rule({ weekdays: [6] }), at('2026-11-21T23:30:00Z'))).toBe(false);
    const night = rule({ from: '22:00', to: '06:00' });
    expect(['20:59', '21:00', '04:59', '05:00'].map((time) => holds(night, at(`2026-11-20T${time}:00Z`)))).toEqual([
      false,
      true,
      true,
      false,
    ]);
    // in summer the clocks of Amsterdam are two hours ahead (IANA database)
    expect(holds(night, at('2026-07-20T04:30:00Z'))).toBe(false);
  });

  it('a rule that is too large or too deep is refused in words, however it is built', () => {
    const tag: Rule = { test: 'tag', tag: 'vip', has: true };
    const wide = (groups: number, each: number): Rule => ({
      all: Array.from({ length: groups }, () => ({ any: Array.from({ length: each }, () => tag) })),
    });
    const problem = (rule: unknown) => ruleSchema.safeParse(rule).error?.issues[0]?.message;
    expect(problem(wide(10, 50))).toBeUndefined();
    expect(problem(wide(11, 50))).toBe('has more than 500 tests');
    let deep: Rule = tag;
    for (let level = 0; level < 7; level++) deep = { none: [deep] };
    expect(problem(deep)).toBeUndefined();
    for (let level = 0; level < 43; level++) deep = { any: [deep] };
    expect(problem(deep)).toBe('is nested deeper than 8 levels');
  });

  it('what makes no sense is refused with its place', () => {
    const wrong = (more: object) => ruleSchema.safeParse({ test: 'did', event: 'order.placed', since: 'ever', ...more }).success;
    expect(wrong({})).toBe(true);
    for (const more of [
      { times: 0 },
      { times: { from: 3, to: 2 } },
      { since: {} },
      { since: { from: '2026-11-31' } },
      { since: { from: '2026-11-24', to: '2026-11-23' } },
      { hours: {} },
      { hours: { from: '08:00' } },
      { hours: { from: '08:00', to: '08:00' } },
      { hours: { weekdays: [0] } },
    ])
      expect(wrong(more), JSON.stringify(more)).toBe(false);
  });
});

describe('groups', () => {
  const yes: Rule = { all: [] };
  const no: Rule = { any: [] };
  it('all of narrows, any of widens, none of turns round, and they nest', () => {
    expect(holds({ all: [yes, no] }, facts())).toBe(false);
    expect(holds({ any: [yes, no] }, facts())).toBe(true);
    expect(holds({ none: [no, { all: [no, yes] }] }, facts())).toBe(true);
    expect(holds({ none: [yes] }, facts())).toBe(false);
  });
});

describe('until', () => {
  it('no answer changes before the moment that was given, and every fact is as it was', () => {
    const moment = fc.integer({ min: NOW - 60 * DAY, max: NOW + 2 * DAY });
    const leaf = fc.record({
      test: fc.constantFrom('did' as const, 'didNot' as const),
      event: fc.constantFrom('a.a', 'b.b'),
      times: fc.oneof(
        fc.integer({ min: 1, max: 3 }),
        fc.record({ exactly: fc.integer({ min: 0, max: 3 }) }),
        fc.record({ atMost: fc.integer({ min: 0, max: 3 }) }),
        fc.constantFrom({ from: 1, to: 2 }, { from: 2, to: 3 }),
      ),
      since: fc.constantFrom(
        ...['P1D', 'PT36H', 'P1M'].flatMap((span) => [{ last: span }, { ago: span }]),
        'ever' as const,
        { from: '2026-11-24' },
        { to: '2026-11-24' },
      ),
      hours: fc.option(fc.constantFrom({ weekdays: [1, 2, 6] }, { from: '20:00', to: '06:00' }), { nil: undefined, freq: 4 }),
    });
    const total = fc.record({
      test: fc.constant('total' as const),
      event: fc.constantFrom('a.a', 'b.b'),
      of: fc.constant('value'),
      take: fc.constantFrom('sum', 'average', 'largest', 'smallest', 'different'),
      op: fc.constantFrom('is', 'above'),
      value: fc.constantFrom(0, 1, 2),
      since: leaf.map((one) => one.since),
    });
    const { rule } = fc.letrec<{ rule: Rule }>((tie) => ({
      rule: fc.oneof(
        { depthSize: 'small' },
        leaf as fc.Arbitrary<Rule>,
        total as fc.Arbitrary<Rule>,
        fc.record({ all: fc.array(tie('rule'), { maxLength: 3 }) }),
        fc.record({ any: fc.array(tie('rule'), { maxLength: 3 }) }),
        fc.record({ none: fc.array(tie('rule'), { maxLength: 3 }) }),
      ) as fc.Arbitrary<Rule>,
    }));
    fc.assert(
      fc.property(
        rule,
        fc.array(fc.tuple(fc.constantFrom('a.a', 'b.b'), moment), { maxLength: 8 }),
        fc.double({ min: 0, max: 1, noNaN: true }),
        (one, past, share) => {
          const known = facts({
            events: past.map(([type, time], n) => event(type, time, { value: n % 3 })).sort((a, b) => a.time - b.time),
          });
          const { holds: before, until } = evaluate(one, known, view);
          const horizon = until ?? NOW + 400 * DAY;
          const between = NOW + Math.floor((horizon - 1 - NOW) * share);
          expect(evaluate(one, known, { ...view, now: between }).holds).toBe(before);
        },
      ),
      { numRuns: 400 },
    );
  });

  it('over changes of the clocks, in zones of every kind: it lies ahead, the answer holds until then, and what has left a window stays out', () => {
    // Amsterdam: 29 March and 25 October 2026; New York: 8 March and 1 November; Lord Howe moves by half an hour on 5 April
    // and 4 October; Casablanca on 15 February and 22 March (IANA database); and the ends of months of unequal length
    const changes = [
      '2026-03-29T01:00Z',
      '2026-10-25T01:00Z',
      '2026-03-08T07:00Z',
      '2026-11-01T06:00Z',
      '2026-04-04T15:00Z',
      '2026-10-03T15:30Z',
      '2026-02-15T02:00Z',
      '2026-03-22T02:00Z',
      '2026-02-28T12:00Z',
      '2026-03-31T12:00Z',
    ].map((text) => Date.parse(text));
    const zones = fc.constantFrom('Europe/Amsterdam', 'America/New_York', 'Australia/Lord_Howe', 'Africa/Casablanca', 'Asia/Kathmandu');
    const near = fc
      .tuple(fc.constantFrom(...changes), fc.integer({ min: -30 * HOUR, max: 30 * HOUR }))
      .map(([change, off]) => change + off);
    const length = fc.constantFrom('P1D', 'P2D', 'P30D', 'P1M', 'P1Y', 'P1DT6H', 'PT36H', 'P1M1D', 'P1W');
    fc.assert(
      fc.property(
        zones,
        near,
        fc.boolean(),
        length,
        fc.integer({ min: -3 * HOUR, max: 3 * HOUR }),
        fc.double({ min: 0, max: 1, noNaN: true }),
        (zone, moment, isFarEdge, last, off, share) => {
          // the change lies at the moment that is looked from, or at the far edge of the window
          const time = isFarEdge ? moment : subtractDuration(moment, last, zone) + off;
          const rule: Rule = { test: 'did', event: 'a.a', since: { last } };
          const known = facts({ events: [event('a.a', time)] });
          const at = (now: number) => evaluate(rule, known, { now, zone });
          const now = Math.max(time, isFarEdge ? addDuration(moment, last, zone) + off : moment);
          const { holds: before, until } = at(now);
          if (!before) {
            expect(until).toBeNull();
            for (const later of [now + MINUTE, now + HOUR - 1, now + HOUR, now + 2 * HOUR, now + DAY]) expect(at(later).holds).toBe(false);
            return;
          }
          expect(until!).toBeGreaterThan(now);
          expect(at(now + Math.floor((until! - 1 - now) * share)).holds).toBe(true);
          expect(at(until! - 1).holds).toBe(true);
          expect(at(until!).holds).toBe(false);
        },
      ),
      { numRuns: 1200 },
    );
  });
});

describe('words', () => {
  it('says a rule as a sentence', () => {
    const rule: Rule = {
      all: [
        { test: 'consent', channel: 'email', reachable: true },
        { test: 'didNot', event: 'order.placed', since: 'entry' },
        {
          any: [
            { test: 'trigger', property: 'value', op: 'atLeast', value: 100 },
            { test: 'did', event: 'cart.updated', times: 2, since: { last: 'P7D' } },
          ],
        },
      ],
    };
    expect(sayRule(rule, { triggerType: 'cart.updated', currency: 'EUR' })).toBe(
      'can be emailed and has not placed an order since entering and (cart value is at least €100.00 or has updated a cart at least twice in the last 7 days)',
    );
  });

  it('explains each part with what was seen', () => {
    const trigger = event('cart.updated', NOW, { value: 59.9 });
    const answer = evaluate(
      { all: [{ test: 'trigger', property: 'value', op: 'atLeast', value: 100 }] },
      facts({ events: [trigger] }),
      { ...view, about: { eventId: trigger.id, data: trigger.properties } },
      { triggerType: 'cart.updated', currency: 'EUR' },
    );
    expect(answer.because).toMatchObject({
      holds: false,
      parts: [{ holds: false, says: 'cart value is at least €100.00', saw: 'cart value was €59.90' }],
    });
  });

  it('knows what it depends on', () => {
    const rule: Rule = {
      any: [
        { test: 'attribute', name: 'country', op: 'is', value: 'NL' },
        { none: [{ test: 'did', event: 'order.placed', since: 'ever' }] },
      ],
    };
    expect(dependsOn([rule, rule])).toEqual([
      { kind: 'attribute', name: 'country' },
      { kind: 'event', name: 'order.placed', where: [], since: 'ever', times: 1 },
    ]);
    expect(wakesOn([rule])).toEqual(['attribute/country', 'order.placed']);
  });
});

describe('the schema', () => {
  it.each([
    [{ test: 'attribute', name: 'x', op: 'atLeast', value: '5' }, 'a number'],
    [{ test: 'attribute', name: 'x', op: 'is' }, 'a missing value'],
    [{ test: 'did', event: 'Order Placed', since: 'ever' }, 'an event type'],
    [{ test: 'did', event: 'order.placed', since: { last: 'a month' } }, 'a duration'],
    [{ all: [], any: [] }, 'two groups at once'],
    [Array.from({ length: 12 }).reduce<Rule>((inner) => ({ all: [inner] }), { all: [] }), 'endless nesting'],
  ] as [unknown, string][])('refuses %j (%s)', (rule) => {
    expect(ruleSchema.safeParse(rule).success).toBe(false);
  });
});
