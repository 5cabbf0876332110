import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { cartLeftBehind, firstOrder } from '../../demo/flows';
import { factsOf, inOrder, type FactEvent, type Reach, type Rule } from '../rules';
import { DAY, HOUR, MINUTE } from '../time';
import { advance, type RunningFlow } from './advance';
import type { FlowDocument } from './document';
import { overBecause } from './judge';
import { advancePerson } from './person';
import { armedRun } from './run';
import { live, type Arrival, type Lived } from './testing/arrivals';
import { ANY_OFFERS, drawsAndAsks } from './testing/asking';
import { sayTrace } from './trace';

const START = Date.parse('2026-11-24T12:00:00Z');
const REACH: Reach = { hasAddress: true, state: 'given', suppressed: null, pausedUntil: null };
let ids = 0;
const event = (type: string, minute: number, properties: FactEvent['properties']): FactEvent => ({
  id: String(++ids),
  type,
  time: START + minute * MINUTE,
  properties,
});
const cart = (minute: number, value = 149, cartId = 'c1') => event('cart.updated', minute, { cartId, value, currency: 'EUR' });
const order = (minute: number, properties: FactEvent['properties'] = { orderId: 'o1', cartId: 'c1', value: 149 }) =>
  event('order.placed', minute, properties);
const flow = (document: FlowDocument = cartLeftBehind): RunningFlow => ({
  key: 'cart',
  document,
  isOn: true,
  zone: 'Europe/Amsterdam',
  offers: ANY_OFFERS,
});
const told = (one: FactEvent, minute?: number): Arrival => ({ event: one, at: minute === undefined ? one.time : START + minute * MINUTE });
const kinds = (lived: Lived) => lived.runs.map(({ trace }) => trace.map(({ kind }) => kind));
const minutes = (lived: Lived) => lived.sends.map(({ stepId, at }) => [stepId, (at - START) / MINUTE]);
const says = (lived: Lived, index = 0) =>
  lived.runs[index]!.trace.map(
    (entry) => sayTrace(entry, lived.runs[index]!.run.about, cartLeftBehind, { currency: 'EUR', zone: 'Europe/Amsterdam' }).says,
  );
const waitFirst: FlowDocument = { ...cartLeftBehind, steps: [{ id: 'wait', kind: 'wait', for: 'PT1H' }, ...cartLeftBehind.steps] };

describe('what is told late', () => {
  it('an order of minute 59 that arrives at minute 61 takes the person out, though they had entered: nothing more goes out', () => {
    const lived = live(flow(), [told(cart(0)), told(order(59), 61)], START + 3 * DAY);
    expect(lived.sends.map(({ stepId }) => stepId)).toEqual(['big-cart']);
    expect(kinds(lived)).toEqual([['entered', 'decided', 'sending', 'waiting', 'undone']]);
    expect(lived.runs[0]!.run).toMatchObject({ phase: 'ended', outcome: 'undone', effects: 1 });
    expect(says(lived).at(-1)).toBe('Left: what had started it turned out not to be so: placed an order for it');
  });

  it('with nothing gone out yet it is as if they had never entered: the same cart may start again', () => {
    const lived = live(flow(waitFirst), [told(cart(0)), told(order(59, { orderId: 'o1', value: 5 }), 61), told(cart(200))], START + DAY);
    expect(lived.runs.map(({ run }) => run.outcome)).toEqual(['undone', null]);
    expect(lived.runs[1]!.run).toMatchObject({ phase: 'inside', enteredAt: START + 260 * MINUTE });
  });

  it('a change of the cart that comes late makes the silence as long as it would have been', () => {
    const lived = live(flow(waitFirst), [told(cart(0)), told(cart(30, 40), 70)], START + 200 * MINUTE);
    expect(lived.runs.map(({ run }) => [run.outcome, run.enteredAt && (run.enteredAt - START) / MINUTE])).toEqual([
      ['undone', 60],
      [null, 90],
    ]);
    expect(minutes(lived)).toEqual([['small-cart', 150]]);
    // once something has gone out, the run stands: nobody is written to twice
    const sent = live(flow(), [told(cart(0)), told(cart(30, 40), 70)], START + 3 * DAY);
    expect(sent.sends.map(({ stepId }) => stepId)).toEqual(['big-cart', 'reminder']);
  });

  it('an armed run ends as soon as what ends it is known, not when its silence is over', () => {
    const lived = live(flow(), [told(cart(0)), told(order(10))], START + 11 * MINUTE);
    expect(lived.runs[0]!.run).toMatchObject({ phase: 'ended', outcome: 'not-entered' });
    expect(says(lived)).toEqual(['Did not enter: placed an order for it']);
  });

  it('what happens to a cart while a run is inside is judged when its silence is over: with every time, it starts again then', () => {
    const always: FlowDocument = {
      ...cartLeftBehind,
      reentry: 'always',
      goal: null,
      stay: null,
      steps: [{ id: 'wait', kind: 'wait', for: 'PT2H' }],
    };
    const lived = live(flow(always), [told(cart(0)), told(cart(150))], START + DAY);
    expect(lived.runs.map(({ run }) => [run.outcome, (run.enteredAt! - START) / MINUTE])).toEqual([
      ['completed', 60],
      ['completed', 210],
    ]);
    const still = live(
      flow({ ...always, steps: [{ id: 'wait', kind: 'wait', for: 'PT9H' }] }),
      [told(cart(0)), told(cart(150))],
      START + DAY,
    );
    expect(kinds(still)[1]).toEqual(['not-entered']);
    expect(says(still, 1)).toEqual(['Did not enter: is inside this flow already']);
  });
});

describe('a worker that comes late', () => {
  it('enters people at the moment at which it was due: goal and stay rule see what has happened since', () => {
    const first = order(0, { orderId: 'o1', value: 200 });
    const again = order(60, { orderId: 'o2', value: 30 });
    const document: FlowDocument = { ...firstOrder, goal: { event: 'order.placed', within: 'P7D', ends: true } };
    const { run, effects } = advance(
      flow(document),
      armedRun('1', '1', { trigger: 'start', key: 'o1' }),
      factsOf('1', { reach: { email: REACH }, events: [first, again] }),
      { now: START + 2 * HOUR, dueAt: START },
    );
    expect(run).toMatchObject({ enteredAt: START, goalAt: again.time, outcome: 'goal' });
    expect(effects).toEqual([]);
  });

  it('waits count from when what stands before them was due; after a message, from when it went out, so that two never come at once', () => {
    const late = live(flow(waitFirst), [told(cart(0))], START + 5 * DAY, { late: 90 * MINUTE });
    expect(late.runs[0]!.run.enteredAt).toBe(START + HOUR);
    // due at minute 120, sent when the worker came; the reminder 23 hours after that, and late again
    expect(minutes(late)).toEqual([
      ['big-cart', 150],
      ['reminder', 150 + 23 * 60 + 90],
    ]);
    expect(minutes(live(flow(waitFirst), [told(cart(0))], START + 5 * DAY))).toEqual([
      ['big-cart', 120],
      ['reminder', 120 + 23 * 60],
    ]);
  });

  it('the entry rule is judged as of that moment', () => {
    const noOrder: Rule = { test: 'didNot', event: 'order.placed', since: { last: 'PT1H' } };
    const document: FlowDocument = { ...cartLeftBehind, entry: noOrder, stay: null, goal: null };
    const later = order(90, { orderId: 'o9', cartId: 'other', value: 5 });
    expect(live(flow(document), [told(cart(0)), told(later)], START + 4 * HOUR, { late: 2 * HOUR }).runs[0]!.run.phase).toBe('inside');
    expect(
      live(flow(document), [told(cart(0)), told({ ...later, time: START + 30 * MINUTE })], START + 4 * HOUR, { late: 2 * HOUR }).runs[0]!
        .run.outcome,
    ).toBe('not-entered');
  });
});

describe('several triggers', () => {
  const document: FlowDocument = {
    ...cartLeftBehind,
    stay: null,
    goal: null,
    triggers: [
      ...cartLeftBehind.triggers,
      { id: 'checkout', kind: 'silence', event: 'checkout.started', key: 'cartId', after: 'PT20M', unless: { event: 'order.placed' } },
    ],
  };
  it('any of them starts the flow, and once for each key is once for all of them', () => {
    const checkout = event('checkout.started', 5, { cartId: 'c1', value: 30 });
    const lived = live(flow(document), [told(cart(0)), told(checkout)], START + 3 * HOUR);
    expect(lived.runs.map(({ run }) => [run.about.trigger, run.outcome, run.about.data.value])).toEqual([
      ['start', 'not-entered', 149],
      ['checkout', null, 30],
    ]);
    expect(minutes(lived)).toEqual([['small-cart', 25]]);
    const says = lived.runs.map(
      ({ run, trace }) => sayTrace(trace[0]!, run.about, document, { currency: 'EUR', zone: 'Europe/Amsterdam' }).says,
    );
    expect(says).toEqual([
      'Did not enter: this flow has already run for c1, and it is once for each',
      'Entered: started a checkout, then nothing for 20 minutes',
    ]);
  });

  it('a run that is armed by a trigger which a new version does not have any more ends, and says so', () => {
    const { run, trace } = advance(flow(), armedRun('1', '1', { trigger: 'checkout', key: 'c1' }), factsOf('1', { events: [cart(0)] }), {
      now: START + HOUR,
      dueAt: START + HOUR,
    });
    expect(run.outcome).toBe('not-entered');
    expect(sayTrace(trace[0]!, run.about, cartLeftBehind, { currency: 'EUR', zone: 'Europe/Amsterdam' }).says).toBe(
      'Did not enter: its trigger is not in the flow any more',
    );
  });
});

describe('one passage for a person', () => {
  const facts = factsOf('1', { reach: { email: REACH }, events: [cart(0, 149, 'a'), cart(1, 149, 'b')] });
  const due = (id: string, key: string, minute: number, under = flow({ ...cartLeftBehind, reentry: 'once' })) => ({
    flow: under,
    flowId: 1,
    run: armedRun(id, '1', { trigger: 'start', key }),
    dueAt: START + minute * MINUTE,
  });

  it('moves the most overdue first, and what one does the next one sees', () => {
    const passed = advancePerson([due('2', 'b', 61), due('1', 'a', 60)], facts, START + 2 * HOUR, new Map());
    expect(passed.map((one) => ('result' in one ? [one.due.run.id, one.result.run.phase] : []))).toEqual([
      ['1', 'inside'],
      ['2', 'ended'],
    ]);
  });

  it('a run that breaks stops no other', () => {
    const broken = { ...cartLeftBehind, steps: [{ id: 'odd', kind: 'teleport' }] } as unknown as FlowDocument;
    const passed = advancePerson(
      [
        {
          ...due('1', 'a', 60),
          flow: {
            ...flow(),
            get document(): FlowDocument {
              throw new Error('cannot be read');
            },
          },
        },
        due('2', 'b', 61),
      ],
      facts,
      START + 2 * HOUR,
      new Map(),
    );
    expect(broken.steps).toHaveLength(1);
    expect(passed.map((one) => ('error' in one ? (one.error as Error).message : one.result.run.phase))).toEqual([
      'cannot be read',
      'inside',
    ]);
  });
});

describe('laws', () => {
  const happened = fc.record({
    kind: fc.constantFrom('cart', 'cart', 'order', 'orderWithoutCart', 'other'),
    minute: fc.integer({ min: 0, max: 4 * 24 * 60 }),
    value: fc.constantFrom(0, 30, 150),
    key: fc.constantFrom('c1', 'c2'),
    delay: fc.oneof(fc.constant(0), fc.integer({ min: 0, max: 7 * 24 * 60 })),
  });
  const history = fc.array(happened, { minLength: 1, maxLength: 8 });
  const eventOf = ({ kind, minute, value, key }: { kind: string; minute: number; value: number; key: string }): FactEvent =>
    kind === 'cart'
      ? cart(minute, value, key)
      : kind === 'order'
        ? order(minute, { orderId: `o${minute}`, cartId: key, value })
        : kind === 'orderWithoutCart'
          ? order(minute, { orderId: `o${minute}`, value })
          : event('page.viewed', minute, { value });
  const documents: FlowDocument[] = [
    cartLeftBehind,
    waitFirst,
    { ...cartLeftBehind, goal: null },
    {
      ...cartLeftBehind,
      entry: { test: 'didNot', event: 'order.placed', since: { last: 'P1D' } },
      stay: {
        all: [
          { test: 'did', event: 'cart.updated', times: 2, since: 'ever' },
          { test: 'didNot', event: 'order.placed', where: [{ property: 'value', op: 'above', value: 20 }], since: 'entry' },
        ],
      },
    },
    { ...firstOrder, steps: [...firstOrder.steps] },
    {
      ...cartLeftBehind,
      entry: {
        any: [
          { test: 'did', event: 'cart.updated', times: { exactly: 1 }, since: { ago: 'PT2H' } },
          { test: 'did', event: 'order.placed', times: { atMost: 1 }, since: { last: 'P1D' }, hours: { from: '08:00', to: '13:00' } },
        ],
      },
      stay: {
        none: [
          { test: 'did', event: 'page.viewed', times: { from: 2, to: 3 }, since: { ago: 'PT90M' }, hours: { weekdays: [1, 2, 3] } },
          { test: 'did', event: 'order.placed', since: { from: '2026-11-24', to: '2026-11-25' } },
          { test: 'total', event: 'cart.updated', of: 'value', take: 'sum', op: 'above', value: 200, since: { last: 'PT36H' } },
        ],
      },
    },
    {
      ...cartLeftBehind,
      reentry: 'always',
      goal: { event: 'order.placed', where: [{ property: 'value', op: 'atLeast', value: 100 }], within: 'P2D', ends: false },
    },
    drawsAndAsks,
  ];

  it('an empty cart of long ago and a full one of now, told in the same minute: the full one is not forgotten', () => {
    const empty = told(cart(0, 0, 'c2'), 61);
    const full = told(cart(61, 150, 'c2'), 61);
    const { runs, sends } = live(flow(cartLeftBehind), [empty, full], START + 40 * DAY);
    expect(runs.map(({ run }) => [run.enteredAt, run.outcome])).toEqual([
      [null, 'not-entered'],
      [START + 121 * MINUTE, 'completed'],
    ]);
    expect(sends.map(({ stepId }) => stepId)).toEqual(['big-cart', 'reminder']);
  });

  it('a run sees all that it looks at in the events that it asks for, and nothing else is loaded', () => {
    fc.assert(
      fc.property(fc.constantFrom(...documents), history, fc.integer({ min: 0, max: 180 }), (document, list, late) => {
        const arrivals = list.map((one) => told(eventOf(one), one.minute + one.delay));
        const until = START + 14 * DAY;
        const whole = live(flow(document), arrivals, until, { late: late * MINUTE });
        expect(live(flow(document), arrivals, until, { late: late * MINUTE, isSparing: true })).toEqual(whole);
      }),
      { numRuns: 600 },
    );
  });

  it('shuffled and late by up to 7 days: nothing goes out twice, nor against what is known; what had not begun to go out goes out as punctually told', () => {
    fc.assert(
      fc.property(fc.constantFrom(cartLeftBehind, waitFirst), history, (document, list) => {
        const events = list.map((one) => ({ one, event: eventOf(one) }));
        const until = START + 40 * DAY;
        const punctual = live(
          flow(document),
          events.map(({ event: e }) => told(e)),
          until,
        );
        const late = live(
          flow(document),
          events.map(({ one, event: e }) => told(e, one.minute + one.delay)),
          until,
        );
        const known = Math.max(...list.map(({ minute, delay }) => START + (minute + delay) * MINUTE));
        const name = ({ key, stepId }: { key: string; stepId: string }) => `${key} ${stepId}`;
        for (const key of ['c1', 'c2']) {
          const [mine, theirs] = [late, punctual].map((lived) => lived.sends.filter((send) => send.key === key));
          // nobody gets a message twice
          expect(new Set(mine!.map(name)).size).toBe(mine!.length);
          // from the moment at which everything is known, nothing goes out that does not stand by all that is known
          const all = factsOf('1', { reach: { email: REACH }, events: events.map(({ event: e }) => e).sort(inOrder) });
          for (const { at, runId } of mine!.filter((send) => send.at > known)) {
            const { run } = late.runs.find((one) => one.run.id === runId)!;
            expect(overBecause({ key: 'flow', document, zone: 'Europe/Amsterdam' }, { ...run, goalAt: null }, all, at)).toBeNull();
          }
          // where nothing had gone out and no run had ended before everything was known, all is as it would have been
          const hasEnded = late.runs.some(
            ({ run, trace }) =>
              run.about.key === key &&
              run.enteredAt !== null &&
              run.outcome !== 'undone' &&
              run.phase === 'ended' &&
              trace.at(-1)!.at <= known,
          );
          if (!hasEnded && mine!.every((send) => send.at > known) && theirs!.every((send) => send.at > known)) {
            expect(mine!.map(name).sort()).toEqual(theirs!.map(name).sort());
            const ends = (lived: Lived) =>
              lived.runs
                .filter(({ run }) => run.about.key === key && run.enteredAt !== null && run.outcome !== 'undone')
                .map(({ run }) => [run.enteredAt, run.outcome]);
            expect(ends(late)).toEqual(ends(punctual));
          }
        }
      }),
      { numRuns: Number(process.env.VIATIC_RUNS ?? 1500) },
    );
  });
});
