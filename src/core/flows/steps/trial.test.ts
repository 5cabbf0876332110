import { describe, expect, it } from 'vitest';
import { factsOf, type FactEvent, type Value } from '../../rules';
import { DAY, HOUR, MINUTE } from '../../time';
import { advance, type RunningFlow } from '../advance';
import { bestHour } from '../besthour';
import { asksOf } from '../needs';
import { flowSchema, type FlowDocument } from '../document';
import { CALLED, armedRun, type Run } from '../run';
import { flowWith, letter } from '../testing/asking';
import { sayTrace } from '../trace';
import { diff } from '../diff';
import { preflight } from '../preflight';
import type { TestStep } from './test';

const START = Date.parse('2026-11-24T12:00:00Z');
const ZONE = 'Europe/Amsterdam';
const REACH = { email: { hasAddress: true, state: 'given' as const, suppressed: null, pausedUntil: null } };
const running = (document: FlowDocument): RunningFlow => ({ key: 'tried', document, isOn: true, zone: ZONE });
const fresh = (personId: string): Run => armedRun('1', personId, { trigger: CALLED, key: 'k', at: START, eventId: null, data: {} });
const factsFor = (personId: string, attributes: { [name: string]: Value } = {}, events: FactEvent[] = []) =>
  factsOf(personId, { reach: REACH, attributes, events });
const go = (document: FlowDocument, run: Run, now: number, facts = factsFor(run.personId)) =>
  advance(running(document), run, facts, { now, dueAt: now });
const problems = (steps: unknown[]) =>
  flowSchema.safeParse({ ...flowWith({}), steps }).error?.issues.map(({ path, message }) => `${path.join('.')} ${message}`) ?? [];

const trial = (more: Partial<TestStep> = {}): TestStep => ({
  id: 'which',
  kind: 'test',
  name: 'Which',
  per: 'person',
  arms: ['a', 'b'].map((id) => ({ id: `arm-${id}`, name: `Way ${id}`, when: null, share: 100, steps: [letter(id)] })),
  trial: { share: 20, lasts: 'PT4H', by: 'opened', unsure: 'ask' },
  ...more,
});
const withTrial = (more: Partial<TestStep> = {}) => flowWith({ steps: [trial(more), letter('after')] });
const WON = { arm: 'arm-b', at: new Date(START + 5 * HOUR).toISOString() };
const people = Array.from({ length: 2000 }, (_, n) => String(n + 1));

describe('a test that is tried on a part first', () => {
  const done = people.map((id) => go(withTrial(), fresh(id), START));
  const sentOf = ({ effects }: (typeof done)[number]) => effects.flatMap((one) => (one.kind === 'send' ? [one.stepId] : []));

  it('lets its share take the arms by lot, as many each, and all others stand', () => {
    const by = (id: string) => done.filter((one) => sentOf(one)[0] === id).length;
    const waiting = done.filter(({ run }) => run.step === 'which');
    // of 2,000 a fifth: 400, give or take four standard deviations of 17.9; of each arm half of that
    expect(Math.abs(by('a') + by('b') - 400)).toBeLessThan(72);
    expect(Math.abs(by('a') - by('b'))).toBeLessThan(80);
    expect(waiting).toHaveLength(2000 - by('a') - by('b'));
    for (const { run, trace } of waiting) {
      expect(run.waitUntil).toBe(START + 4 * HOUR);
      expect(trace.at(-1)).toMatchObject({ kind: 'waiting', saw: { trial: true } });
    }
  });

  it('sends the others into the arm that has won, and does not count them as drawn', () => {
    const { run } = done.find((one) => one.run.step === 'which')!;
    const next = go(withTrial({ won: WON }), run, START + 5 * HOUR);
    expect(sentOf(next)).toEqual(['b', 'after']);
    const entry = next.trace.find(({ kind }) => kind === 'drawn')!;
    expect(entry.armId).toBeUndefined();
    expect(sayTrace(entry, { trigger: 'start', key: 'k' }, withTrial({ won: WON }), { currency: 'EUR', zone: ZONE }).says).toBe(
      'Took “Way b”, which was chosen of “Which”',
    );
  });

  it('does the same in a replay: before it is known they stand, whoever comes afterwards takes what has won', () => {
    const document = withTrial({ won: WON });
    const before = people.slice(0, 300).map((id) => go(document, fresh(id), START));
    expect(before.map((one) => sentOf(one)[0])).toEqual(done.slice(0, 300).map((one) => sentOf(one)[0]));
    // the moment is known then, and is what they wait for
    const waiting = before.find(({ run }) => run.step === 'which')!;
    expect(waiting.run.waitUntil).toBe(START + 5 * HOUR);
    expect(sentOf(go(document, waiting.run, START + 5 * HOUR))).toEqual(['b', 'after']);
    for (const id of people.slice(0, 50)) expect(sentOf(go(document, fresh(id), START + 6 * HOUR))).toEqual(['b', 'after']);
  });

  it('stands on where nobody decides, and leaves after thirty days without a message', () => {
    const { run } = done.find((one) => one.run.step === 'which')!;
    const later = go(withTrial(), run, START + 4 * HOUR);
    expect(later.run).toMatchObject({ step: 'which', waitUntil: START + 30 * DAY });
    const over = go(withTrial(), later.run, START + 30 * DAY);
    expect(sentOf(over)).toEqual([]);
    expect(over.run).toMatchObject({ phase: 'ended' });
  });

  it('is refused where it contradicts itself, and stopped where it would go by a goal that is not there', () => {
    expect(problems([trial({ decide: { people: 500 } })])).toEqual(['steps.0.trial decides in another way than "decide": one of them']);
    expect(problems([trial({ won: { ...WON, arm: 'arm-c' } })])).toEqual(['steps.0.won.arm is no arm of this test']);
    const byGoal = flowWith({ steps: [trial({ trial: { share: 20, lasts: 'PT4H', by: 'goal', unsure: 'ask' } })] });
    expect(preflight(byGoal).map(({ code }) => code)).toContain('tries-without-goal');
    expect(diff(withTrial(), withTrial({ won: WON }), 'EUR').map(({ says }) => says)).toEqual(['Of “Which” all others get “Way b”']);
  });
});

describe('a wait that spreads people', () => {
  it('lasts for a part of its length by lot: evenly over it', () => {
    const document = flowWith({ steps: [{ id: 'w', kind: 'wait', for: 'PT4H', spread: true }, letter('a')] });
    const until = people.map((id) => go(document, fresh(id), START).run.waitUntil! - START);
    expect(Math.min(...until)).toBeGreaterThanOrEqual(0);
    expect(Math.max(...until)).toBeLessThan(4 * HOUR);
    // the mean of so many even draws: 120 minutes, give or take four standard deviations of 69.3 / √2000
    expect(Math.abs(until.reduce((sum, one) => sum + one, 0) / until.length / MINUTE - 120)).toBeLessThan(6.2);
    expect(problems([{ id: 'w', kind: 'wait', hours: { from: '09:00', to: '10:00' }, spread: true }])).toHaveLength(1);
  });
});

describe('the hour at which somebody mostly opens', () => {
  const opens = (...times: string[]): FactEvent[] =>
    times.map((time, n) => ({ id: String(n), type: 'message.opened', time: Date.parse(time), properties: {} }));
  const EVENINGS = opens('2026-11-20T18:10:00Z', '2026-11-18T18:50:00Z', '2026-11-10T17:55:00Z', '2026-11-02T06:00:00Z');

  it('is that with the most openings about it, in their zone, and nothing where there are too few', () => {
    const at = EVENINGS.map(({ time }) => time);
    expect(bestHour(at, 'UTC')).toBe(18);
    expect(bestHour(at, 'Europe/Amsterdam')).toBe(19);
    expect(bestHour(at.slice(0, 2), 'UTC')).toBeNull();
    // about midnight the hours of both days belong together
    expect(
      bestHour(
        [23, 23, 0, 0, 1, 12].map((hour) => hour * HOUR),
        'UTC',
      ),
    ).toBe(0);
  });

  it('is waited for, by their own clocks; otherwise the time that is said', () => {
    const document = flowWith({ steps: [{ id: 'w', kind: 'wait', best: { otherwise: '10:30' } }, letter('a')] });
    const at = (attributes: { [name: string]: Value }, events: FactEvent[]) => {
      const { run, trace } = go(document, fresh('1'), START, factsFor('1', attributes, events));
      return [new Date(run.waitUntil!).toISOString().slice(0, 16), trace.at(-1)?.saw] as const;
    };
    expect(at({}, EVENINGS)).toEqual(['2026-11-24T18:00', { hour: 19 }]);
    expect(at({ zone: 'America/New_York' }, EVENINGS)).toEqual(['2026-11-24T18:00', { hour: 13 }]);
    expect(at({}, [])).toEqual(['2026-11-25T09:30', { hour: null }]);
    // openings of long ago tell nothing any more
    expect(
      at(
        {},
        EVENINGS.map((one) => ({ ...one, time: one.time - 100 * DAY })),
      )[1],
    ).toEqual({ hour: null });
    expect(asksOf(running(document), fresh('1'), { now: START, dueAt: START }).map(({ type }) => type)).toContain('message.opened');
  });
});
