import { describe, expect, it } from 'vitest';
import { DAY, HOUR, MINUTE } from '../time';
import type { FactEvent, Rule } from '../rules';
import type { RunningFlow } from './advance';
import { diff } from './diff';
import { flowSchema, sayGoal, type Goal, type Step } from './document';
import { sayTriggers } from './triggers';
import { live } from './testing/arrivals';
import { flowWith, letter, rises } from './testing/asking';

const START = Date.parse('2026-11-24T12:00:00Z');
const event = (id: string, type: string, minute: number, properties: FactEvent['properties'] = {}): FactEvent => ({
  id,
  type,
  time: START + minute * MINUTE,
  properties,
});
const steps: Step[] = [{ id: 'three-days', kind: 'wait', for: 'P3D' }, letter('last')];
const twice: Rule = { test: 'did', event: 'app.opened', since: 'entry', times: 2 };
const lives = (goal: Goal, events: FactEvent[], until = START + 30 * DAY) => {
  const document = flowWith({
    triggers: [{ id: 'start', kind: 'event', event: 'app.started', key: null }],
    reentry: 'always',
    steps,
    goal,
  });
  const flow: RunningFlow = { key: 'f', document, isOn: true, zone: 'Europe/Amsterdam' };
  return live(
    flow,
    events.map((one) => ({ event: one, at: one.time })),
    until,
  );
};
const started = event('1', 'app.started', 0);

describe('a goal that is a rule', () => {
  it('is met at the moment at which the rule comes to hold, and ends the run where it is said so', () => {
    const opened = [event('2', 'app.opened', 60), event('3', 'app.opened', 26 * 60)];
    const { runs, sends } = lives({ rule: twice, within: 'P7D', ends: true }, [started, ...opened]);
    expect(runs[0]!.run).toMatchObject({ outcome: 'goal', goalAt: START + 26 * HOUR });
    expect(sends).toEqual([]);
  });

  it('only counts where it does not end the run, and after the last message too, within its window', () => {
    const opened = [event('2', 'app.opened', 4 * 24 * 60), event('3', 'app.opened', 6 * 24 * 60)];
    const counts = lives({ rule: twice, within: 'P7D', ends: false }, [started, ...opened]);
    expect(counts.runs[0]!.run).toMatchObject({ outcome: 'completed', goalAt: START + 6 * DAY });
    expect(counts.sends).toHaveLength(1);
    const late = lives({ rule: twice, within: 'P5D', ends: false }, [started, ...opened]);
    expect(late.runs[0]!.run).toMatchObject({ phase: 'ended', outcome: 'completed', goalAt: null });
  });

  it('is met by time alone at that moment', () => {
    const quiet: Rule = { test: 'did', event: 'app.opened', since: { ago: 'P2D' } };
    const { runs, sends } = lives({ rule: quiet, within: 'P7D', ends: true }, [started, event('2', 'app.opened', 60)]);
    expect(runs[0]!.run).toMatchObject({ outcome: 'goal', goalAt: START + HOUR + 2 * DAY });
    expect(sends).toEqual([]);
  });

  it('is said, compared, and refused with two ways at once', () => {
    expect(sayGoal({ rule: twice, within: 'P7D', ends: true })).toBe(
      'has done app.opened at least twice since entering within 7 days of entering',
    );
    const before = flowWith({ goal: { event: 'order.placed', within: 'P7D', ends: true } });
    const after = flowWith({ goal: { rule: twice, within: 'P7D', ends: true } });
    expect(diff(before, after, 'EUR').map(({ says }) => says)).toEqual([`Goal: ${sayGoal(after.goal!)}`]);
    const both = flowSchema.safeParse({ ...before, goal: { ...before.goal, rule: twice } });
    expect(both.success).toBe(false);
  });
});

describe('a trigger by a change', () => {
  it('is said in words, and asks nothing that is not told', () => {
    expect(sayTriggers(rises.triggers)).toBe(
      'A change of their points: the new value is at least 10 and the old value is below 10; or A change of their rises: the new value is at least 1',
    );
    const odd = flowSchema.safeParse({
      ...rises,
      triggers: [{ id: 'start', kind: 'change', name: 'a.b' }],
    });
    expect(odd.error?.issues.map(({ path, message }) => `${path.join('.')} ${message}`)).toEqual([
      'triggers.0.name must be an attribute as a whole, without a dot',
    ]);
    const unheard = flowSchema.safeParse({
      ...rises,
      triggers: [{ id: 'start', kind: 'change', name: 'a', where: [{ property: 'now', op: 'is', value: 1 }] }],
    });
    expect(unheard.error?.issues.map(({ path, message }) => `${path.join('.')} ${message}`)).toEqual([
      'triggers.0.where.0.property is not told of a change; ask was, is, by',
    ]);
  });
});
