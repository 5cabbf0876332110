import { describe, expect, it } from 'vitest';
import { replayPerson, type ReplayFlow } from '../../replay';
import { factsOf, type Value } from '../../rules';
import { DAY } from '../../time';
import { flowSchema } from '../document';
import { flowWith } from '../testing/asking';
import { nextOccasion, sayTrigger, triggerSchema, whoIsDue, type Trigger } from '.';

const ZONE = 'Europe/Amsterdam';
const NOW = Date.parse('2026-11-24T12:00:00Z');
const REACH = { email: { hasAddress: true, state: 'given', suppressed: null, pausedUntil: null } } as const;
const flowOf = (trigger: object, more: object = {}) => flowWith({ triggers: [{ id: 'clock', ...trigger }], ...more });
const sentAt = (trigger: object, attributes: { [name: string]: Value } = {}, days = 60, more: object = {}): string[] => {
  const flow: ReplayFlow = { key: 'clock', document: flowOf(trigger, more), isOn: true, zone: ZONE, from: NOW };
  const { personId: _, events: __, ...known } = factsOf('1', { attributes: { email: 'a@example.com', ...attributes }, reach: REACH });
  let n = 0;
  const { sends } = replayPerson([flow], { id: '1', known, changes: [] }, [], NOW + days * DAY, () => String((n += 1)));
  return sends.map(({ at }) => new Date(at).toISOString().slice(0, 16));
};
const schedule = (more: object = {}) => ({ kind: 'schedule', starts: '2026-12-01T09:00', rule: null, who: null, ...more });
const date = (more: object = {}) => ({ kind: 'date', name: 'birthday', yearly: true, days: 0, at: '09:00', ...more });

describe('a schedule', () => {
  it('starts everybody who is meant, once or as it comes round, by the clocks of the store', () => {
    expect(sentAt(schedule())).toEqual(['2026-12-01T08:00']);
    expect(sentAt(schedule({ rule: 'FREQ=WEEKLY;COUNT=3' }))).toEqual(['2026-12-01T08:00', '2026-12-08T08:00', '2026-12-15T08:00']);
    const who = { test: 'attribute', name: 'country', op: 'is', value: 'NL' };
    expect(sentAt(schedule({ who }), { country: 'NL' })).toHaveLength(1);
    expect(sentAt(schedule({ who }), { country: 'BE' })).toHaveLength(0);
    // gone by before the flow was on
    expect(sentAt(schedule({ starts: '2026-11-24T12:00' }))).toEqual([]);
  });

  it('is looked at anew each time it comes round', () => {
    const who = { test: 'didNot', event: 'message.sent', since: { last: 'P10D' } };
    expect(sentAt(schedule({ rule: 'FREQ=WEEKLY;COUNT=4', who }))).toEqual(['2026-12-01T08:00', '2026-12-15T08:00']);
    expect(sentAt(schedule({ rule: 'FREQ=WEEKLY;COUNT=4' }), {}, 60, { reentry: 'once' })).toHaveLength(1);
  });

  it('is said, and refused with the place where it is none', () => {
    const says = (trigger: object) => sayTrigger(triggerSchema.parse({ id: 'clock', ...trigger }));
    expect(says(schedule())).toBe('On 2026-12-01 at 09:00, everybody');
    expect(says(schedule({ who: { all: [] } }))).toBe('On 2026-12-01 at 09:00, everybody');
    expect(says(schedule({ rule: 'FREQ=WEEKLY;BYDAY=MO', who: { test: 'tag', tag: 'vip', has: true } }))).toBe(
      'From 2026-12-01 at 09:00 every week on Monday, everybody who has the tag vip',
    );
    for (const [wrong, path] of [
      [{ starts: '2026-02-30T09:00' }, 'starts'],
      [{ starts: 'tomorrow' }, 'starts'],
      [{ who: { test: 'trigger', property: 'value', op: 'known' } }, 'who'],
      [{ where: [{ property: 'x', op: 'known' }] }, 'where'],
    ] as const)
      expect(triggerSchema.safeParse({ id: 'clock', ...schedule(wrong) }).error?.issues[0]!.path[0], path).toBe(path);
    for (const rule of ['every monday', 'FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30'])
      expect(
        flowSchema.safeParse({ ...flowOf(schedule()), triggers: [{ id: 'clock', ...schedule({ rule }) }] }).error?.issues[0]!.path,
        rule,
      ).toEqual(['triggers', 0, 'rule']);
  });
});

describe('a day on file', () => {
  it('starts on it, or so many days before or after, once or each year', () => {
    expect(sentAt(date(), { birthday: '1990-12-03' })).toEqual(['2026-12-03T08:00']);
    expect(sentAt(date({ days: -7 }), { birthday: '1990-12-03' })).toEqual(['2026-11-26T08:00']);
    expect(sentAt(date({ days: 20, at: '18:30' }), { birthday: '1990-12-03' })).toEqual(['2026-12-23T17:30']);
    expect(sentAt(date({ yearly: false }), { birthday: '1990-12-03' })).toEqual([]);
    expect(sentAt(date({ name: 'renews', yearly: false, days: -3 }), { renews: '2026-12-20' })).toEqual(['2026-12-17T08:00']);
    expect(sentAt(date(), {})).toEqual([]);
    // each year anew, 29 February on the 28th where there is none; and over the end of the year
    expect(sentAt(date(), { birthday: '1996-02-29' }, 900)).toEqual(['2027-02-28T08:00', '2028-02-29T08:00', '2029-02-28T08:00']);
    expect(sentAt(date({ days: -5 }), { birthday: '1990-01-02' })).toEqual(['2026-12-28T08:00']);
  });

  it('is the rule of its days at the hour of each day', () => {
    const trigger = triggerSchema.parse({ id: 'clock', ...date({ days: -7 }) }) as Extract<Trigger, { kind: 'date' }>;
    expect(whoIsDue(trigger)).toEqual({ test: 'date', name: 'birthday', yearly: true, from: 7, to: 7 });
    expect(nextOccasion(trigger, Date.parse('2026-11-24T07:59:00Z'), ZONE)).toBe(Date.parse('2026-11-24T08:00:00Z'));
    expect(nextOccasion(trigger, Date.parse('2026-11-24T08:00:00Z'), ZONE)).toBe(Date.parse('2026-11-25T08:00:00Z'));
    expect(sayTrigger(trigger)).toBe('7 days before their birthday, each year, at 09:00');
  });
});
