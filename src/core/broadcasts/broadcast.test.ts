import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { currentFlowSchema, preflight, stepsOf } from '../flows';
import { letter as letterStep } from '../flows/testing/asking';
import type { Rule } from '../rules';
import {
  broadcastOf,
  checkBroadcast,
  documentOf,
  freeContentId,
  freshBroadcast,
  sayBroadcast,
  sayWhen,
  sayWho,
  type Broadcast,
  type Letter,
} from '.';

const letterOf = (name: string): Letter => {
  const { id: _, kind: __, ...letter } = letterStep(name);
  return letter;
};
const LIST: Rule = { test: 'list', list: 'news', member: true };
const TAG: Rule = { test: 'tag', tag: 'trade', has: true };
const plain = freshBroadcast('2026-12-02T09:00', letterOf('Winter'));

const anyBroadcast: fc.Arbitrary<Broadcast> = fc
  .record({
    to: fc.subarray([LIST, TAG, { test: 'attribute', name: 'country', op: 'is', value: 'NL' } as Rule]),
    without: fc.subarray([TAG, { test: 'segment', segment: 'asleep', member: true } as Rule]),
    rule: fc.constantFrom(null, 'FREQ=WEEKLY;BYDAY=MO', 'FREQ=YEARLY'),
    clocks: fc.boolean(),
    pace: fc.constantFrom(null, { over: 'PT4H' }, { otherwise: '10:00' }),
    many: fc.integer({ min: 1, max: 4 }),
    trial: fc.constantFrom(null, { share: 20, lasts: 'PT4H', by: 'opened', unsure: 'ask' } as const),
    again: fc.constantFrom(null, { unless: 'opened', exceptBought: true } as const, { unless: 'clicked', exceptBought: false } as const),
    news: fc.constantFrom(null, { feed: 'blog', atLeast: 2 }),
  })
  .map(({ rule, clocks, many, again, trial, ...one }) => ({
    ...plain,
    ...one,
    when: { ...plain.when, rule, ...(clocks && { clocks: 'person' as const }) },
    contents: Array.from({ length: many }, (_, n) => ({ id: n ? `message-${n + 1}` : 'message', letter: letterOf(`Letter ${n}`) })),
    trial: many > 1 ? trial : null,
    again: again && { ...again, after: 'P3D', letter: letterOf('Once more') },
  }));

describe('a broadcast', () => {
  it('is a flow, and is read back from it as it was', () => {
    fc.assert(
      fc.property(anyBroadcast, (broadcast) => {
        const document = documentOf(broadcast, 'winter', { name: 'Winter' });
        expect(currentFlowSchema.safeParse(document).error?.issues ?? []).toEqual([]);
        expect(broadcastOf(document, 'winter')).toEqual(broadcast);
        // once more, as it comes back from a file
        expect(broadcastOf(JSON.parse(JSON.stringify(document)), 'winter')).toEqual(broadcast);
      }),
    );
  });

  it('is none any more for its screen once the flow does something else, or has another key', () => {
    const again = { unless: 'opened', after: 'P3D', exceptBought: true, letter: letterOf('Once more') } as const;
    const document = documentOf({ ...plain, again }, 'winter', { name: 'Winter' });
    expect(broadcastOf({ ...document, steps: [...document.steps, { id: 'x', kind: 'wait', for: 'P1D' }] }, 'winter')).toBeNull();
    expect(broadcastOf({ ...document, stay: LIST }, 'winter')).toBeNull();
    const { as: _, ...flow } = document;
    expect(broadcastOf(flow, 'winter')).toBeNull();
    // whoever opened it is told from those who did not by the key of the flow
    expect(broadcastOf(document, 'summer')).toBeNull();
  });

  it('keeps what else the flow says of itself', () => {
    const document = documentOf(plain, 'winter', { name: 'Winter', tags: ['season'], owner: 'Marla', control: 10 });
    expect(document).toMatchObject({ tags: ['season'], owner: 'Marla', control: 10 });
    expect(broadcastOf(document, 'winter')).toEqual(plain);
  });

  it('goes once more only to those whom it reached, who did not open it, and have not ordered', () => {
    const again = { unless: 'opened', after: 'P3D', exceptBought: true, letter: letterOf('Once more') } as const;
    const branch = stepsOf(documentOf({ ...plain, again }, 'winter', { name: 'W' })).find(({ kind }) => kind === 'branch');
    const rules = branch?.kind === 'branch' && branch.arms[0]!.when && 'all' in branch.arms[0]!.when ? branch.arms[0]!.when.all : [];
    expect(rules.map((rule) => 'event' in rule && [rule.test, rule.event])).toEqual([
      ['did', 'message.sent'],
      ['didNot', 'message.opened'],
      ['didNot', 'order.placed'],
    ]);
  });

  it('is said in one sentence', () => {
    const several: Broadcast = {
      ...plain,
      contents: [...plain.contents, { id: 'message-2', letter: letterOf('Snow') }],
      trial: { share: 20, lasts: 'PT4H', by: 'opened', unsure: 'ask' },
      again: { unless: 'opened', after: 'P3D', exceptBought: true, letter: letterOf('Once more') },
    };
    expect(sayBroadcast(several, 12204, 20003, 'Europe/Amsterdam')).toBe(
      [
        'On Wednesday 2 December 2026 at 09:00 (Europe/Amsterdam), 12,204 of 20,003 people get “Winter” or “Snow”,',
        'tried on 20 % of the people for 4 hours; the others get the one that is opened most;',
        'after 3 days “Once more” to those who have not opened it and have not ordered.',
      ].join(' '),
    );
    expect(sayBroadcast(plain, 1, 1, 'UTC', true)).toBe('Now, 1 person gets “Winter”.');
    expect(sayWho({ to: [LIST], without: [TAG] })).toBe('everybody who is on the list news, but nobody who has the tag trade');
    expect(sayWhen({ when: { starts: '2026-12-02T09:00', rule: 'FREQ=WEEKLY', clocks: 'person' }, pace: { over: 'PT2H' } }, 'UTC')).toBe(
      'from Wednesday 2 December 2026 at 09:00 by each person’s own clocks, every week, spread over 2 hours',
    );
  });

  it('is stopped where its moment has gone by, or its part would be tried at hours of everybody’s own', () => {
    const codes = (broadcast: Broadcast, now: string) =>
      checkBroadcast(documentOf(broadcast, 'w', { name: 'W' }), Date.parse(now), 'UTC').map(({ code, level }) => `${level} ${code}`);
    expect(codes(plain, '2026-12-01T00:00:00Z')).toEqual([]);
    expect(codes(plain, '2026-12-02T09:00:00Z')).toEqual(['stops time-gone-by']);
    expect(codes({ ...plain, when: { ...plain.when, rule: 'FREQ=YEARLY' } }, '2026-12-02T09:00:00Z')).toEqual([]);
    const two = [...plain.contents, { id: freeContentId(plain.contents), letter: letterOf('B') }];
    const trial = { share: 20, lasts: 'PT4H', by: 'opened', unsure: 'ask' } as const;
    expect(codes({ ...plain, contents: two, trial, pace: { otherwise: '10:00' } }, '2026-12-01T00:00:00Z')).toEqual([
      'stops trial-by-own-hours',
    ]);
    expect(codes({ ...plain, news: { feed: 'blog', atLeast: 1 } }, '2026-12-01T00:00:00Z')).toEqual(['warns news-not-shown']);
    // a letter without words is stopped like any other
    const empty = { ...letterOf('Empty'), message: { ...letterOf('E').message, subject: '' } } as Letter;
    expect(
      preflight(documentOf({ ...plain, contents: [{ id: 'message', letter: empty }] }, 'w', { name: 'W' })).map(({ level }) => level),
    ).toContain('stops');
  });
});
