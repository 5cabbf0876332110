import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { factsOf, ruleSchema, verdict, type Rule } from '../rules';
import { circleOf, inOrderOfNeed, isOnlyForFlows, segmentSchema, segmentsIn, turnsWithTime } from './segment';
import { readyMade } from './ready';

const member = (segment: string, is = true): Rule => ({ test: 'segment', segment, member: is });
const tag = (name: string): Rule => ({ test: 'tag', tag: name, has: true });

describe('a segment', () => {
  it('is a name and a rule; what is left out is nothing, what is not known is refused with its place', () => {
    expect(segmentSchema.parse({ schema: 'viatic.segment/1', name: ' Lapsed ', rule: tag('a') })).toEqual({
      schema: 'viatic.segment/1',
      name: 'Lapsed',
      about: '',
      rule: tag('a'),
      tags: [],
      owner: null,
    });
    const places = (document: object) => segmentSchema.safeParse(document).error?.issues.map(({ path }) => path.join('.'));
    expect(places({ schema: 'viatic.segment/1', name: '', rule: tag('a') })).toEqual(['name']);
    expect(places({ schema: 'viatic.segment/2', name: 'x', rule: tag('a') })).toEqual(['schema']);
    expect(places({ schema: 'viatic.segment/1', name: 'x', rule: { test: 'nothing' } })).toContain('rule');
  });

  it('may not lead back to itself, however long the way', () => {
    const others = new Map([
      ['a', { any: [tag('x'), member('b')] } as Rule],
      ['b', { none: [{ all: [member('c', false)] }] } as Rule],
      ['c', tag('y')],
    ]);
    expect(circleOf('new', member('a'), others)).toBeNull();
    expect(circleOf('c', member('a'), others)).toEqual(['c', 'a', 'b', 'c']);
    expect(circleOf('a', { all: [tag('x'), member('a')] }, new Map())).toEqual(['a', 'a']);
    expect(segmentsIn({ all: [member('a'), { any: [member('b'), member('a', false)] }] })).toEqual(['a', 'b']);
  });

  it('law: each comes after all that it asks for, and none is lost', () => {
    // which of those before it each asks for, told in any order
    const graph = fc
      .array(fc.array(fc.nat({ max: 30 }), { maxLength: 3 }), { minLength: 1, maxLength: 12 })
      .chain((asks) => fc.shuffledSubarray([...asks.keys()], { minLength: asks.length }).map((order) => ({ asks, order })));
    fc.assert(
      fc.property(graph, ({ asks, order }) => {
        const all = asks.map((list, n) => ({
          key: `s${n}`,
          rule: { all: n ? list.map((one) => member(`s${one % n}`)) : [] } as Rule,
        }));
        const ordered = inOrderOfNeed(order.map((n) => all[n]!));
        expect(ordered.map(({ key }) => key).sort()).toEqual(all.map(({ key }) => key).sort());
        ordered.forEach(({ rule }, at) => {
          for (const key of segmentsIn(rule)) expect(ordered.findIndex((one) => one.key === key)).toBeLessThan(at);
        });
      }),
    );
  });

  it('turns with time where something can leave a window or a pause end, and not by what is only known', () => {
    expect(turnsWithTime({ all: [tag('a'), { none: [{ test: 'did', event: 'order.placed', since: { last: 'P1D' } }] }] })).toBe(true);
    expect(turnsWithTime({ test: 'consent', channel: 'email', reachable: true })).toBe(true);
    expect(turnsWithTime({ all: [tag('a'), member('b'), { test: 'attribute', name: 'country', op: 'known' }] })).toBe(false);
  });

  it('cannot ask for what is only known inside a flow', () => {
    expect(isOnlyForFlows({ all: [tag('a'), { none: [{ test: 'answer', step: 's', came: true }] }] })).toBe(true);
    expect(isOnlyForFlows({ test: 'did', event: 'order.placed', since: 'entry' })).toBe(true);
    expect(isOnlyForFlows({ test: 'did', event: 'order.placed', since: 'ever' })).toBe(false);
  });
});

describe('ready-made segments', () => {
  it('are sound, each once, and the high value only where somebody has bought', () => {
    const ready = readyMade(120, 'birthday');
    expect(new Set(ready.map(({ key }) => key)).size).toBe(ready.length);
    for (const { rule } of ready) expect(ruleSchema.safeParse(rule).success).toBe(true);
    expect(readyMade(null, 'birthday').map(({ key }) => key)).not.toContain('high-value');
    expect(ready).toHaveLength(readyMade(null, 'birthday').length + 1);
  });

  it('never bought, one order and regulars part everybody; lapsed and about to lapse are never the same', () => {
    const DAY = 86_400_000;
    const now = Date.parse('2026-11-24T12:00:00Z');
    const inside = (daysAgo: number[]) => {
      const events = daysAgo
        .map((days, n) => ({
          id: String(n + 1),
          type: 'order.placed',
          time: now - days * DAY,
          properties: { orderId: `o${n}`, value: 50, currency: 'EUR' },
        }))
        .sort((a, b) => a.time - b.time);
      return readyMade(120, 'birthday')
        .filter(({ rule }) => verdict(rule, factsOf('1', { events }), { now, zone: 'Europe/Amsterdam' }).holds)
        .map(({ key }) => key);
    };
    expect(inside([])).toEqual(['never-bought']);
    expect(inside([5])).toEqual(['new-customers', 'one-order']);
    expect(inside([70])).toEqual(['one-order', 'about-to-lapse']);
    expect(inside([400])).toEqual(['one-order', 'lapsed']);
    expect(inside([200, 100, 95])).toEqual(['regulars', 'high-value', 'lapsed']);
    expect(inside([200, 40])).toEqual(['regulars']);
  });
});
