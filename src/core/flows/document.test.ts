import { describe, expect, it } from 'vitest';
import { cartLeftBehind, demoFlows, firstOrder, winBack } from '../../demo/flows';
import { DAY, HOUR } from '../time';
import { diff } from './diff';
import { flowSchema, stepsOf, type FlowDocument, type Step } from './document';
import { type BranchStep } from './steps';
import { changeArm, changeStep } from './edit';
import { axis, bend, layout, unbend } from './layout';
import { planOf } from './plan';
import { sayRule } from '../rules';
import { preflight } from './preflight';

const problemsIn = (document: unknown) =>
  flowSchema.safeParse(document).error?.issues.map((issue) => `${issue.path.join('.')}: ${issue.message}`) ?? [];

describe('the document', () => {
  it('the demo’s flows are sound', () => {
    for (const { document } of demoFlows('http://localhost:4400')) expect(problemsIn(document)).toEqual([]);
  });

  it('refuses, with the place: an id used twice, an arm for everyone else that is not last, a wait of no time', () => {
    const [branch, wait] = cartLeftBehind.steps as [BranchStep, Step];
    expect(problemsIn({ ...cartLeftBehind, steps: [wait, { ...wait }] }).join()).toContain('steps.1.id: the id "a-day" is used twice');
    expect(problemsIn({ ...cartLeftBehind, steps: [{ ...branch, arms: [...branch.arms].reverse() }] }).join()).toContain(
      'steps.0.arms.0.when',
    );
    expect(problemsIn({ ...cartLeftBehind, steps: [{ id: 'w', kind: 'wait', for: 'PT0S' }] }).join()).toContain('longer than no time');
    expect(
      problemsIn({ ...cartLeftBehind, reentry: 'once-per-key', triggers: [{ ...cartLeftBehind.triggers[0]!, key: null }] }).join(),
    ).toContain('once per key');
    expect(problemsIn({ ...cartLeftBehind, colour: 'red' })).toHaveLength(1);
  });

  it('of an older form is upgraded on reading: its one trigger becomes the first of several', () => {
    const { triggers, ...rest } = cartLeftBehind;
    const { id: _, ...trigger } = triggers[0]!;
    expect(flowSchema.parse(JSON.parse(JSON.stringify({ ...rest, trigger })))).toEqual(cartLeftBehind);
    for (const odd of [{ trigger: null }, { trigger: 'cart' }, { trigger: [] }])
      expect(flowSchema.safeParse({ ...rest, ...odd }).success).toBe(false);
    expect(problemsIn({ ...cartLeftBehind, triggers: [triggers[0], triggers[0]] }).join()).toContain('used twice');
    expect(problemsIn({ ...cartLeftBehind, triggers: [] }).join()).toContain('at least one');
  });

  it('knows what follows each step: after the arms the paths join again', () => {
    const { after, first } = planOf(cartLeftBehind);
    expect(first).toBe('by-value');
    expect([after.get('big-cart'), after.get('small-cart'), after.get('a-day'), after.get('over')]).toEqual([
      'a-day',
      'a-day',
      'reminder',
      null,
    ]);
    expect(planOf(cartLeftBehind)).toMatchObject({
      wakesArmed: ['order.placed'],
      wakesInside: ['cart.updated', 'order.placed'],
      wakesWatching: ['order.placed'],
    });
    const dutch = {
      ...cartLeftBehind,
      stay: {
        all: [
          { test: 'attribute' as const, name: 'country', op: 'is' as const, value: 'NL' },
          { test: 'tag' as const, tag: 'vip', has: true },
        ],
      },
    };
    expect(planOf(dutch).wakesInside).toEqual(['attribute/country', 'cart.updated', 'order.placed', 'tag/vip']);
  });

  it('edits one step and leaves the others as the same objects', () => {
    const edited = changeArm(cartLeftBehind, 'by-value', 'from-100', (arm) => ({ ...arm, name: 'Large' }));
    expect(stepsOf(edited).length).toBe(stepsOf(cartLeftBehind).length);
    expect(edited.steps[1]).toBe(cartLeftBehind.steps[1]);
    expect((edited.steps[0] as BranchStep).arms[0]!.name).toBe('Large');
    expect((cartLeftBehind.steps[0] as BranchStep).arms[0]!.name).toBe('100 and up');
  });
});

describe('the line map', () => {
  const map = layout(cartLeftBehind);
  const stop = (id: string) => map.stops.find((one) => one.id === id)!;

  it('stops stand at the time since entry; the silence lies before it', () => {
    expect(stop('trigger').at).toBe(-HOUR);
    expect(stop('entry').at).toBe(0);
    expect(stop('big-cart').at).toBe(0);
    expect(stop('reminder').at).toBe(23 * HOUR);
  });

  it('arms part into lanes of their own and join at the latest of their moments', () => {
    expect([stop('big-cart').lane, stop('small-cart').lane, map.lanes]).toEqual([0, 1, 2]);
    const uneven = changeArm(cartLeftBehind, 'by-value', 'below-100', (arm) => ({
      ...arm,
      steps: [{ id: 'two-days', kind: 'wait', for: 'P2D' }, ...arm.steps],
    }));
    const { stops, stretches } = layout(uneven);
    expect(stops.find((one) => one.id === 'by-value:join')!.at).toBe(2 * DAY);
    expect(
      stretches
        .filter((one) => one.to === 'by-value:join')
        .map((one) => one.from)
        .sort(),
    ).toEqual(['big-cart', 'small-cart']);
    expect(stretches.find((one) => one.wait === 'two-days')).toMatchObject({ lane: 1, to: 'small-cart' });
  });

  it('a wait nobody knows the length of has room of its own, and what follows it says so', () => {
    const untilTheyPay: FlowDocument = {
      ...cartLeftBehind,
      steps: [
        { id: 'ends', kind: 'wait', date: { of: 'start', name: 'trialEnds', days: -3, at: '10:00' } },
        { id: 'first', kind: 'idea', text: 'Three days left' },
        { id: 'then', kind: 'wait', date: { of: 'start', name: 'trialEnds', days: 0, at: '10:00' } },
        { id: 'last', kind: 'idea', text: 'Last day' },
      ],
    };
    const { stops, stretches } = layout(untilTheyPay);
    const [first, last] = ['first', 'last'].map((id) => stops.find((one) => one.id === id)!);
    expect([first!.at, first!.most, last!.most]).toEqual([0, null, null]);
    expect(last!.rank - first!.rank).toBeGreaterThan(1);
    expect(stretches.filter((one) => one.isOpen).map((one) => one.wait)).toEqual(['ends', 'then']);
  });

  it('an arm that ends does not come back', () => {
    const ending = changeArm(cartLeftBehind, 'by-value', 'below-100', (arm) => ({
      ...arm,
      steps: [...arm.steps, { id: 'stop-here', kind: 'end' }],
    }));
    expect(layout(ending).stretches.filter((one) => one.to === 'by-value:join')).toHaveLength(1);
  });

  it('every stop of a flow has its place, and no two of one lane stand on each other', () => {
    for (const document of [cartLeftBehind, firstOrder, winBack]) {
      const drawn = layout(document);
      for (const step of stepsOf(document)) {
        if (step.kind === 'wait') expect(drawn.stretches.some((one) => one.wait === step.id)).toBe(true);
        else expect(drawn.stops.some((one) => one.id === step.id)).toBe(true);
      }
      const { x, width } = axis(drawn, 640, 80);
      const places = drawn.stops.map((one) => `${one.lane}/${Math.round(x(one.at, one.rank))}`);
      expect(new Set(places).size).toBe(places.length);
      for (const one of drawn.stops) expect(x(one.at, one.rank)).toBeLessThanOrEqual(width + 0.01);
    }
  });

  it('the bent scale gives minutes, hours, days and weeks a like share, and can be read back', () => {
    expect([bend(0), bend(HOUR), bend(DAY), bend(7 * DAY)]).toEqual([0, 1, 2, 3]);
    for (const ms of [-HOUR, 30 * 60_000, 5 * HOUR, 3 * DAY, 40 * DAY]) expect(unbend(bend(ms))).toBeCloseTo(ms, 3);
  });
});

describe('what rules name', () => {
  const asks: FlowDocument = {
    ...cartLeftBehind,
    entry: {
      all: [
        { test: 'list', list: 'keepers', member: true },
        { test: 'country', name: 'country', group: 'EU', member: true },
      ],
    },
    stay: { none: [{ test: 'flow', flow: 'welcome', was: 'inside', is: true }] },
  };
  const none = new Map<string, string>();
  const onFile = {
    list: none,
    segment: none,
    flow: none,
    topic: none,
    offer: none,
    table: none,
    'country group': new Map([['EU', 'the EU']]),
  };

  it('has to be on file: what is not stops the flow, with its place; without a list of what is, nothing is said', () => {
    expect(preflight(asks, onFile).filter(({ level }) => level === 'stops')).toMatchObject([
      { says: 'A condition (entry rule) asks for the list keepers, which is not on file' },
      { says: 'A condition (stay rule) asks for the flow welcome, which is not on file' },
    ]);
    expect(preflight(asks).filter(({ level }) => level === 'stops')).toEqual([]);
    const there = { ...onFile, list: new Map([['keepers', 'Keepers’ club']]), flow: new Map([['welcome', 'Welcome']]) };
    expect(preflight(asks, there).filter(({ level }) => level === 'stops')).toEqual([]);
    // and is called by its name where that is known
    expect(sayRule(asks.stay!, { names: there })).toBe('none of: is in the flow “Welcome”');
    expect(sayRule(asks.stay!)).toBe('none of: is in the flow welcome');
  });
});

describe('preflight', () => {
  const says = (document: FlowDocument) => preflight(document).map((finding) => `${finding.level}: ${finding.says}`);

  it('points out what is never reached, a control group without a goal, and events that have not arrived, with the nearest that have', () => {
    const end = { id: 'over', kind: 'end' } as const;
    const flow: FlowDocument = { ...cartLeftBehind, control: 10, goal: null, steps: [end, ...cartLeftBehind.steps] };
    const found = says(flow);
    expect(found.filter((one) => one.endsWith('is never reached'))).toHaveLength(cartLeftBehind.steps.length);
    expect(found).toContain('warns: There is a control group, but no goal to hold it against');
    const seen = [
      { value: 'cart.update', count: 1204 },
      { value: 'order.placed', count: 88 },
    ];
    const unseen = (types: typeof seen | null) => preflight(cartLeftBehind, null, types).map(({ says: one, mend }) => [one, mend]);
    expect(unseen(seen)).toEqual([
      ['The flow looks at cart.updated, and no such event has arrived yet', 'Is one of these meant: cart.update (1,204)?'],
    ]);
    expect(unseen([...seen, { value: 'cart.updated', count: 1 }])).toEqual([]);
    expect(unseen(null)).toEqual([]);
  });

  it('finds nothing in the cart flow', () => {
    expect(preflight(cartLeftBehind)).toEqual([]);
  });

  it('finds a message that is off, a name without a fallback, a wait left over from trying out', () => {
    expect(says(winBack)).toEqual(
      expect.arrayContaining(['warns: “New plants” is off', 'warns: {{ person.firstName }} in “How is your tank?” has no fallback']),
    );
    expect(says(changeStep(cartLeftBehind, 'a-day', (step) => ({ ...step, for: 'PT10S' }) as Step)).join()).toContain(
      'A wait of only 10 seconds',
    );
  });

  it('stops a message without a subject, an unreadable placeholder, an offer in a service message, an arm nobody can take', () => {
    const withMessage = (change: object) =>
      changeStep(cartLeftBehind, 'big-cart', (step) =>
        step.kind === 'send' ? { ...step, message: { ...step.message, ...change } } : step,
      );
    expect(says(withMessage({ subject: ' ' })).join()).toContain('stops: “Your tank is waiting, with an offer” has no subject');
    expect(says(withMessage({ subject: 'Hello {{ person.firstName | nosuch }}' })).join()).toContain('cannot be read');
    expect(says(withMessage({ kind: 'service' })).join()).toContain('service message with an offer');
    const impossible = changeArm(cartLeftBehind, 'by-value', 'from-100', (arm) => ({
      ...arm,
      when: {
        all: [
          { test: 'trigger', property: 'value', op: 'atLeast', value: 100 },
          { test: 'trigger', property: 'value', op: 'below', value: 50 },
        ],
      },
    }));
    expect(says(impossible).join()).toContain('Nobody can take “100 and up”');
  });
});

describe('what a draft changes', () => {
  it('is told in words, with amounts and durations', () => {
    const draft = changeArm(
      changeStep(cartLeftBehind, 'a-day', (step) => ({ ...step, for: 'PT12H' }) as Step),
      'by-value',
      'from-100',
      (arm) => ({ ...arm, name: 'Large', when: { test: 'trigger', property: 'value', op: 'atLeast', value: 150 } }),
    );
    expect(diff(cartLeftBehind, draft, 'EUR').map((change) => change.says)).toEqual([
      'Wait: 23 hours becomes 12 hours',
      'Arm “100 and up” is now called “Large”',
      'Arm “Large”: cart value is at least €150.00 (was: cart value is at least €100.00)',
    ]);
    expect(diff(cartLeftBehind, structuredClone(cartLeftBehind), 'EUR')).toEqual([]);
  });
});
