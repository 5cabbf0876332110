import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { DAY, HOUR } from '../time';
import { dependsOn, wakesOn } from './depends';
import { evaluate } from './evaluate';
import { factsOf, type FactEvent, type Facts, type Reach } from './facts';
import { ruleSchema, type Rule } from './rule';
import { sayRule } from './sentence';

const NOW = Date.parse('2026-11-24T12:00:00Z');
const OPEN: Reach = { hasAddress: true, state: 'given', suppressed: null, pausedUntil: null };
const view = { now: NOW, zone: 'Europe/Amsterdam' };
let ids = 0;
const event = (type: string, time: number, properties: FactEvent['properties'] = {}): FactEvent => ({ id: String(++ids), type, time, properties });
const facts = (more: Partial<Facts> & { email?: Reach } = {}): Facts => factsOf('1', { ...more, reach: { email: more.email ?? OPEN } });
const holds = (rule: Rule, known: Facts, at: Partial<typeof view> & { enteredAt?: number; trigger?: FactEvent } = {}) => evaluate(rule, known, { ...view, ...at }).holds;

describe('tests on a person', () => {
  const is = (op: string, value?: unknown): Rule => ruleSchema.parse({ test: 'attribute', name: 'country', op, ...(value !== undefined && { value }) });

  it('compares attributes as written; what is not known fails all but "is not" and "is not known"', () => {
    const dutch = facts({ attributes: { country: 'NL' } });
    expect(holds(is('is', 'NL'), dutch)).toBe(true);
    expect(holds(is('is', 'nl'), dutch)).toBe(false);
    expect(holds(is('oneOf', ['DE', 'NL']), dutch)).toBe(true);
    expect(holds(is('contains', 'N'), dutch)).toBe(true);
    for (const [op, value, answer] of [['is', 'NL', false], ['isNot', 'NL', true], ['known', undefined, false], ['unknown', undefined, true], ['oneOf', ['NL'], false]] as const) {
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
    for (const [reach, why] of [[{ hasAddress: false }, 'no email address'], [{ state: 'unknown' }, 'no consent'], [{ state: 'withdrawn' }, 'withdrawn'], [{ suppressed: 'bounced' }, 'bounced']] as const) {
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
    expect(holds({ test: 'did', event: 'order.placed', since: 'ever', where: [{ property: 'value', op: 'atLeast', value: 200 }] }, two)).toBe(false);
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
    expect(holds(rule, facts({ events: [start] }), { enteredAt: NOW, trigger: start })).toBe(true);
    expect(holds(rule, facts({ events: [start, event('order.placed', NOW)] }), { enteredAt: NOW, trigger: start })).toBe(false);
    expect(holds(rule, facts({ events: [event('order.placed', NOW - 1)] }), { enteredAt: NOW })).toBe(true);
  });

  it('an event stamped ahead of our clock counts when its moment has come', () => {
    const ahead = facts({ events: [event('order.placed', NOW + HOUR)] });
    expect(evaluate(ordered, ahead, view)).toMatchObject({ holds: false, until: NOW + HOUR });
    expect(holds(ordered, ahead, { now: NOW + HOUR })).toBe(true);
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
    const leaf = fc.record({ test: fc.constantFrom('did' as const, 'didNot' as const), event: fc.constantFrom('a.a', 'b.b'), times: fc.integer({ min: 1, max: 3 }), since: fc.constantFrom({ last: 'P1D' }, { last: 'PT36H' }, { last: 'P1M' }, 'ever' as const) });
    const { rule } = fc.letrec<{ rule: Rule }>((tie) => ({ rule: fc.oneof({ depthSize: 'small' }, leaf as fc.Arbitrary<Rule>, fc.record({ all: fc.array(tie('rule'), { maxLength: 3 }) }), fc.record({ any: fc.array(tie('rule'), { maxLength: 3 }) }), fc.record({ none: fc.array(tie('rule'), { maxLength: 3 }) })) as fc.Arbitrary<Rule> }));
    fc.assert(fc.property(rule, fc.array(fc.tuple(fc.constantFrom('a.a', 'b.b'), moment), { maxLength: 8 }), fc.double({ min: 0, max: 1, noNaN: true }), (one, past, share) => {
      const known = facts({ events: past.map(([type, time]) => event(type, time)).sort((a, b) => a.time - b.time) });
      const { holds: before, until } = evaluate(one, known, view);
      const horizon = until ?? NOW + 400 * DAY;
      const between = NOW + Math.floor((horizon - 1 - NOW) * share);
      expect(evaluate(one, known, { ...view, now: between }).holds).toBe(before);
    }), { numRuns: 400 });
  });
});

describe('words', () => {
  it('says a rule as a sentence', () => {
    const rule: Rule = { all: [{ test: 'consent', channel: 'email', reachable: true }, { test: 'didNot', event: 'order.placed', since: 'entry' }, { any: [{ test: 'trigger', property: 'value', op: 'atLeast', value: 100 }, { test: 'did', event: 'cart.updated', times: 2, since: { last: 'P7D' } }] }] };
    expect(sayRule(rule, { triggerType: 'cart.updated', currency: 'EUR' })).toBe('can be emailed and has not placed an order since entering and (cart value is at least €100.00 or has updated a cart at least twice in the last 7 days)');
  });

  it('explains each part with what was seen', () => {
    const trigger = event('cart.updated', NOW, { value: 59.9 });
    const answer = evaluate({ all: [{ test: 'trigger', property: 'value', op: 'atLeast', value: 100 }] }, facts({ events: [trigger] }), { ...view, trigger }, { triggerType: 'cart.updated', currency: 'EUR' });
    expect(answer.because).toMatchObject({ holds: false, parts: [{ holds: false, says: 'cart value is at least €100.00', saw: 'cart value was €59.90' }] });
  });

  it('knows what it depends on', () => {
    const rule: Rule = { any: [{ test: 'attribute', name: 'country', op: 'is', value: 'NL' }, { none: [{ test: 'did', event: 'order.placed', since: 'ever' }] }] };
    expect([...dependsOn([rule]).eventTypes]).toEqual(['order.placed']);
    expect(wakesOn([rule])).toEqual(['order.placed', 'person.changed']);
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
