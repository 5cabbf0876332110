import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { duplicateAt, groupWordOf, insertAt, moveTo, negated, partAt, removeAt, replaceAt, type RulePath } from './edit';
import { factsOf } from './facts';
import { verdict } from './look';
import { partsOf, ruleSchema, testsIn, type Rule } from './rule';
import { suggest, type Known } from './suggest';

const tag = (name: string): Rule => ({ test: 'tag', tag: name, has: true });
const { rule } = fc.letrec<{ rule: Rule }>((tie) => ({
  rule: fc.oneof(
    { depthSize: 'small' },
    fc.constantFrom('a', 'b', 'c').map(tag),
    ...(['all', 'any', 'none'] as const).map((word) =>
      fc.array(tie('rule'), { minLength: 1, maxLength: 3 }).map((parts) => ({ [word]: parts }) as unknown as Rule),
    ),
  ) as fc.Arbitrary<Rule>,
}));
const group = rule.filter((one) => groupWordOf(one) !== null);

/** Every place in a rule but the rule itself. */
function places(one: Rule, path: RulePath = []): RulePath[] {
  return (partsOf(one) ?? []).flatMap((part, index) => [[...path, index], ...places(part, [...path, index])]);
}
/** The tags of a rule as they are read. */
const read = (one: Rule): string[] => partsOf(one)?.flatMap(read) ?? ['tag' in one ? one.tag : ''];
const placed = group.chain((one) =>
  fc.record({ one: fc.constant(one), at: fc.constantFrom(...places(one)), to: fc.constantFrom(...places(one)) }),
);

describe('editing a rule', () => {
  it('what is put in stands there, and taking it out again leaves all as it was', () => {
    fc.assert(
      fc.property(placed, ({ one, at }) => {
        const more = insertAt(one, at, tag('new'));
        expect(partAt(more, at)).toEqual(tag('new'));
        expect(testsIn(more)).toBe(testsIn(one) + 1);
        expect(removeAt(more, at)).toEqual(one);
        expect(replaceAt(one, at, partAt(one, at)!)).toEqual(one);
      }),
    );
  });

  it('what is taken out is gone with the groups that it leaves empty; a copy says the same right after', () => {
    fc.assert(
      fc.property(placed, ({ one, at }) => {
        const part = partAt(one, at)!;
        const left = removeAt(one, at);
        expect(testsIn(left)).toBe(testsIn(one) - testsIn(part));
        expect(places(left).every((path) => partsOf(partAt(left, path)!)?.length !== 0)).toBe(true);
        const twice = duplicateAt(one, at);
        expect(partAt(twice, [...at.slice(0, -1), at.at(-1)! + 1])).toEqual(part);
      }),
    );
  });

  it('what is moved is all still there, and nothing is moved into itself', () => {
    fc.assert(
      fc.property(placed, ({ one, at, to }) => {
        const moved = moveTo(one, at, to);
        expect(read(moved).sort()).toEqual(read(one).sort());
        if (at.every((index, place) => to[place] === index)) expect(moved).toBe(one);
      }),
    );
    const three: Rule = { all: [tag('a'), tag('b'), { any: [tag('c')] }] };
    expect(read(moveTo(three, [0], [2]))).toEqual(['b', 'a', 'c']);
    expect(read(moveTo(three, [1], [0]))).toEqual(['b', 'a', 'c']);
    expect(moveTo(three, [0], [2, 1])).toEqual({ all: [tag('b'), { any: [tag('c'), tag('a')] }] });
    expect(moveTo(three, [2, 0], [0])).toEqual({ all: [tag('c'), tag('a'), tag('b')] });
  });

  it('the opposite holds just where the rule does not, and its opposite is the rule again in other words', () => {
    fc.assert(
      fc.property(rule, fc.subarray(['a', 'b', 'c']), (one, tags) => {
        const facts = factsOf('1', { tags });
        const holds = (what: Rule) => verdict(what, facts, { now: 0, zone: 'UTC' }).holds;
        expect(holds(negated(one))).toBe(!holds(one));
        expect(holds(negated(negated(one)))).toBe(holds(one));
      }),
    );
    expect(negated({ test: 'attribute', name: 'country', op: 'is', value: 'NL' })).toEqual({
      test: 'attribute',
      name: 'country',
      op: 'isNot',
      value: 'NL',
    });
    expect(negated({ test: 'attribute', name: 'points', op: 'above', value: 3 })).toEqual({
      none: [{ test: 'attribute', name: 'points', op: 'above', value: 3 }],
    });
    expect(negated({ test: 'did', event: 'order.placed', since: 'ever' })).toMatchObject({ test: 'didNot' });
  });
});

describe('what is meant by words typed', () => {
  const known: Known = {
    events: [
      { type: 'product.viewed', count: 90_000 },
      { type: 'order.placed', count: 7000 },
      { type: 'message.clicked', count: 300 },
      { type: 'app.tank_added', count: 5 },
    ],
    attributes: [
      {
        name: 'country',
        values: [
          { value: 'Netherlands', count: 1204 },
          { value: 'NL', count: 88 },
        ],
      },
      { name: 'born', values: [], isDate: true },
      { name: 'firstName', values: [] },
    ],
    lists: [{ key: 'keepers', name: 'Keepers’ club' }],
    tags: [{ tag: 'helper', people: 160 }],
    segments: [{ key: 'lapsed', name: 'Lapsed' }],
    flows: [{ key: 'welcome', name: 'Welcome' }],
    topics: [],
    groups: [],
    answers: [{ step: 'sheet', says: 'Look up “Care sheet”', properties: ['liters'] }],
    started: [{ name: 'value', kind: 'number' }],
  };
  const first = (typed: string) => suggest(typed, known)[0];

  it('is found by the event, a number of times, a value, and what it is called', () => {
    expect(first('ordered 3')).toMatchObject({ rule: { test: 'did', event: 'order.placed', times: 3, since: 'ever' }, note: '7,000 ever' });
    expect(first('clicked')!.says).toBe('has clicked a message');
    expect(first('Netherlands')).toMatchObject({
      rule: { test: 'attribute', name: 'country', op: 'is', value: 'Netherlands' },
      note: '1,204 people',
    });
    expect(first('not Netherlands')!.rule).toMatchObject({ op: 'isNot', value: 'Netherlands' });
    expect(first('never ordered')!.rule).toMatchObject({ test: 'didNot', event: 'order.placed' });
    expect(first('tank')!.rule).toMatchObject({ event: 'app.tank_added' });
    expect(first('keepers')!.rule).toEqual({ test: 'list', list: 'keepers', member: true });
    expect(first('helper')!.rule).toEqual({ test: 'tag', tag: 'helper', has: true });
    expect(first('lapsed')!.rule).toEqual({ test: 'segment', segment: 'lapsed', member: true });
    expect(first('email')!.rule).toEqual({ test: 'consent', channel: 'email', reachable: true });
    expect(first('value 80')!.rule).toEqual({ test: 'trigger', property: 'value', op: 'atLeast', value: 80 });
    expect(first('birthday')!.rule).toEqual({ test: 'date', name: 'born', yearly: true, from: 0, to: 7 });
    expect(first('any of')!.rule).toEqual({ any: [] });
    expect(first('first name')!.rule).toEqual({ test: 'attribute', name: 'firstName', op: 'known' });
  });

  it('what came last, what came after, and what stands is found by its words', () => {
    expect(first('days since last order')!.rule).toEqual({
      test: 'did',
      event: 'order.placed',
      pick: { last: 1 },
      since: { ago: 'P30D' },
    });
    expect(first('viewed then not ordered')!.rule).toMatchObject({ test: 'did', then: { event: 'order.placed', did: false } });
    expect(first('not opened last 5 messages')!.rule).toMatchObject({ pick: { last: 5 }, times: { exactly: 5 } });
    expect(first('total spent 200')!.rule).toMatchObject({ test: 'orders', take: 'total', value: 200 });
    expect(first('flow welcome')!.rule).toEqual({ test: 'flow', flow: 'welcome', was: 'inside', is: true });
    expect(first('EEA')!.rule).toMatchObject({ test: 'country', group: 'EEA', member: true });
    expect(first('not bounced')!.rule).toMatchObject({ test: 'reach', state: 'bounced', is: false });
    expect(first('country changed')!.rule).toMatchObject({ test: 'changed', name: 'country', way: 'any' });
    expect(first('born age 21')!.rule).toEqual({ test: 'age', name: 'born', op: 'atLeast', value: 21 });
    expect(first('weekday now')!.rule).toMatchObject({ test: 'clock' });
    // of what is only known inside a flow nothing is offered elsewhere
    expect(suggest('weekday now', { ...known, started: [] })).toEqual([]);
  });

  it('the opposite holds just where the part does not, for every kind of test', () => {
    const kinds: Rule[] = [
      { test: 'reach', channel: 'email', state: 'bounced', is: true },
      { test: 'topic', topic: 'news', wants: true },
      { test: 'flow', flow: 'welcome', was: 'inside', is: true },
      { test: 'country', name: 'country', group: 'EU', member: true },
      { test: 'near', name: 'location', place: { latitude: 0, longitude: 0 }, within: 1, unit: 'km', is: true },
      { test: 'list', list: 'keepers', member: true, since: { ago: 'P1D' } },
      { test: 'orders', take: 'average', op: 'atLeast', value: 10, since: 'ever' },
      { test: 'age', name: 'born', op: 'atLeast', value: 18 },
      { all: [{ test: 'tag', tag: 'vip', has: true }], named: 'Friends' },
    ];
    for (const rule of kinds)
      for (const one of [
        factsOf('1'),
        factsOf('1', { attributes: { country: 'NL', born: '1990-01-01' }, lists: ['keepers'], tags: ['vip'] }),
      ]) {
        const at = { now: Date.parse('2026-11-24T12:00:00Z'), zone: 'UTC' };
        expect(verdict(negated(rule), one, at).holds, JSON.stringify(rule)).toBe(!verdict(rule, one, at).holds);
      }
  });

  it('is nothing for nothing, and always a sound rule', () => {
    expect(suggest('  ', known)).toEqual([]);
    expect(suggest('zzzz', known)).toEqual([]);
    fc.assert(
      fc.property(fc.string({ maxLength: 12 }), (typed) => {
        const found = suggest(typed, known);
        expect(found.length).toBeLessThanOrEqual(8);
        for (const { rule: one } of found) expect(ruleSchema.safeParse(one).success).toBe(true);
      }),
    );
  });
});
