import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { cartLeftBehind, firstOrder } from '../../demo/flows';
import { changeStep, nextOccasion, stepsOf, whoIsDue, type FlowDocument, type Step, type Trigger } from '../flows';
import type { Limits } from '../limits';
import { answerTo, live } from '../flows/testing/arrivals';
import { anyFlow } from '../flows/testing/anyflow';
import { ANY_OFFERS, changesPeople, drawsAndAsks, flowWith } from '../flows/testing/asking';
import { makeHistory, HISTORY_DAYS } from '../../demo/history';
import { factsOf, verdict, type FactEvent, type Hours, type Reach, type Value } from '../rules';
import { DAY, HOUR, MINUTE } from '../time';
import { replayNeeds, replayPerson, type ReplayFlow } from './replay';

const START = Date.parse('2026-11-01T08:00:00Z');
const OPEN: Reach = { hasAddress: true, state: 'given', suppressed: null, pausedUntil: null };
const flow: ReplayFlow = {
  key: 'cart',
  document: cartLeftBehind,
  isOn: true,
  zone: 'Europe/Amsterdam',
  from: START - DAY,
  offers: ANY_OFFERS,
};
const cart = (id: string, time: number, cartId = 'c1', value = 60): FactEvent => ({
  id,
  type: 'cart.updated',
  time,
  properties: { cartId, value, currency: 'EUR' },
});
const { personId: _, events: __, ...known } = factsOf('1', { reach: { email: OPEN } });
const person = { id: '1', known, changes: [] };
const counter = () => {
  let n = 100;
  return () => String(++n);
};
const replay = (events: FactEvent[], until = START + 20 * DAY, react?: Parameters<typeof replayPerson>[5]) =>
  replayPerson([flow], person, events, until, counter(), react);

const LIMITS: Limits = {
  gap: 'PT30H',
  caps: [{ channel: 'email', most: 3, per: 'P9D' }],
  hours: { from: '08:00', to: '20:00' },
  closed: new Set(['2026-11-04']),
  control: null,
};

/** A flow whose every wait lasts on to the next of some hours. */
const withHours = (flow: FlowDocument, hours: Hours): FlowDocument =>
  stepsOf(flow).reduce(
    (made, { id, kind }) => (kind === 'wait' ? changeStep(made, id, (step) => ({ ...step, hours }) as Step) : made),
    flow,
  );

describe('replay on a virtual clock', () => {
  it('five additions to one cart are one run; a second cart is a second run', () => {
    const five = [0, 5, 10, 15, 20].map((m) => cart(`e${m}`, START + m * MINUTE));
    const { runs, sends } = replay([...five, cart('f', START + 3 * HOUR, 'c2')]);
    expect(runs.map((one) => one.run.about.key)).toEqual(['c1', 'c2']);
    expect(sends.map((one) => one.at - START)).toEqual([80 * MINUTE, 4 * HOUR, 80 * MINUTE + 23 * HOUR, 27 * HOUR]);
  });

  it('what the world does in answer to a message takes part: an order after the first mail stops the second', () => {
    const { sends, runs, events } = replay([cart('a', START)], undefined, (send) => ({
      events: [
        { id: `9${send.id}`, type: 'order.placed', time: send.at + 10 * MINUTE, properties: { orderId: 'x', cartId: 'c1', value: 60 } },
      ],
    }));
    expect(sends).toHaveLength(1);
    expect(runs[0]!.run).toMatchObject({ outcome: 'goal' });
    expect(events.map((event) => event.type)).toEqual(['cart.updated', 'message.sent', 'flow.entered', 'order.placed', 'flow.left']);
  });

  it('leaving for good on the way is heard: the next message is skipped', () => {
    const { sends, known: after } = replay([cart('a', START)], undefined, (send) => ({
      changes: [{ kind: 'consent', name: 'email', was: 'given', is: 'withdrawn', at: send.at + MINUTE }],
    }));
    expect(sends).toHaveLength(1);
    expect(after.reach.email.state).toBe('withdrawn');
  });

  it('stops at its horizon with the run waiting where it is', () => {
    const { runs } = replay([cart('a', START)], START + 2 * HOUR);
    expect(runs[0]).toMatchObject({ run: { phase: 'inside', step: 'a-day' }, wakeAt: START + 24 * HOUR });
    expect(replayNeeds([flow])).toEqual(['cart.updated', 'order.placed']);
    const asks: FlowDocument = {
      ...cartLeftBehind,
      entry: { test: 'did', event: 'page.viewed', since: 'ever' },
      stay: { test: 'tag', tag: 'vip', has: false },
      goal: { event: 'order.cancelled', within: 'P1D', ends: true },
    };
    expect(replayNeeds([{ key: 'f', document: asks }])).toEqual(['cart.updated', 'order.cancelled', 'order.placed', 'page.viewed']);
    expect(replayNeeds([{ key: 'f', document: { ...asks, goal: null } }])).toEqual(['cart.updated', 'order.placed', 'page.viewed']);
  });

  it('people are as they were: what changed on the way counts from its moment, whoever told it, in order', () => {
    const withdrawn = { kind: 'consent', name: 'email', was: 'given', is: 'withdrawn', at: START + 2 * HOUR } as const;
    const given = { ...withdrawn, was: 'withdrawn', is: 'given', at: START + 3 * HOUR } as const;
    const run = (changes: readonly (typeof withdrawn | typeof given)[], answered: readonly (typeof withdrawn | typeof given)[] = []) =>
      replayPerson([flow], { ...person, changes }, [cart('a', START)], START + 20 * DAY, counter(), (send) =>
        send.at < START + 2 * HOUR ? { changes: answered } : {},
      );
    expect(run([]).sends).toHaveLength(2);
    expect(run([withdrawn]).sends).toHaveLength(1);
    expect(run([withdrawn, given]).sends).toHaveLength(2);
    // of two who tell it, each at its moment: the last word is that of the later
    expect(run([given], [withdrawn]).known.reach.email.state).toBe('given');
    expect(run([{ ...withdrawn, at: START + 4 * HOUR }], [given]).known.reach.email.state).toBe('withdrawn');
    expect(run([withdrawn], [given]).changes.map(({ at }) => at)).toEqual([withdrawn.at, given.at]);
  });

  it('a flow that is looked at only from a day on starts nothing of what came before', () => {
    const late = { ...flow, from: START + HOUR };
    expect(replayPerson([late], person, [cart('a', START)], START + DAY, counter()).runs).toEqual([]);
    expect(replayPerson([late], person, [cart('a', START + HOUR)], START + DAY, counter()).runs).toHaveLength(1);
  });

  it('is what the worker does, run by run and trace by trace, for any history that is told at once', () => {
    const happened = fc.record({
      type: fc.constantFrom('cart.updated', 'cart.updated', 'order.placed', 'order.delivered', 'page.viewed'),
      minute: fc.integer({ min: 0, max: 6 * 24 * 60 }),
      value: fc.constantFrom(20, 60, 150),
      cartId: fc.constantFrom('c1', 'c2'),
    });
    const documents: FlowDocument[] = [
      cartLeftBehind,
      { ...cartLeftBehind, reentry: 'once' },
      { ...cartLeftBehind, reentry: 'always', goal: null },
      { ...cartLeftBehind, entry: { test: 'didNot', event: 'page.viewed', since: { last: 'P1D' } } },
      { ...firstOrder, reentry: 'always' },
      drawsAndAsks,
      changesPeople,
    ];
    const asTold = (
      runs: readonly { run: { about: { key: string }; phase: string; outcome: string | null }; trace: readonly object[] }[],
    ) => runs.map(({ run, trace }) => JSON.stringify([run.about.key, run.phase, run.outcome, trace])).sort();
    fc.assert(
      fc.property(
        fc.oneof(fc.constantFrom(...documents), anyFlow),
        fc.array(happened, { minLength: 1, maxLength: 8 }),
        fc.constantFrom(null, LIMITS),
        fc.constantFrom<Hours | null>(null, { from: '09:00', to: '17:00' }, { weekdays: [2, 5], from: '20:00', to: '06:00' }),
        (plain, list, limits, hours) => {
          const document = hours ? withHours(plain, hours) : plain;
          const events = list
            .map(({ type, minute, value, cartId }, n): FactEvent => ({
              id: String(n + 1),
              type,
              time: START + minute * MINUTE,
              properties: {
                value,
                currency: 'EUR',
                ...(type !== 'page.viewed' && { cartId }),
                ...(type === 'order.placed' && { orderId: `o${n}` }),
                // what such a flow is about is a cart: it stands for the order
                ...(type === 'order.delivered' && { orderId: cartId }),
              },
            }))
            .sort((a, b) => a.time - b.time || Number(a.id) - Number(b.id));
          const until = START + 30 * DAY;
          const running = { key: flow.key, document, isOn: true, zone: flow.zone, limits, offers: ANY_OFFERS };
          const arrivals = events.map((event) => ({ at: event.time, event }));
          const worker = live(running, arrivals, until);
          // one that loads just what is asked for comes to the same, and does nothing twice
          const sparing = live(running, arrivals, until, { isSparing: true });
          expect(asTold(sparing.runs)).toEqual(asTold(worker.runs));
          const names = worker.sends.map(({ runId, stepId }) => `${runId}/${stepId}`);
          expect(new Set(names).size).toBe(names.length);
          const replayed = replayPerson([{ ...flow, document, limits }], person, events, until, counter(), undefined, {
            answer: ({ effect, at }) => ({ events: [{ id: `answer ${at} ${effect.stepId}`, time: at + HOUR, ...answerTo(effect) }] }),
          });
          expect(asTold(replayed.runs)).toEqual(asTold(worker.runs));
          expect(replayed.sends.map((send) => [send.at, send.run.about.key, send.effect.stepId]).sort()).toEqual(
            worker.sends.map((send) => [send.at, send.key, send.stepId]).sort(),
          );
        },
      ),
      { numRuns: 300 },
    );
  });
});

describe('Quillfin’s history', () => {
  const end = Date.parse('2026-11-24T09:00:00Z');
  const made = [
    ...makeHistory({ people: 400, end, zone: 'Europe/Amsterdam', baseUrl: 'http://x', flows: [{ ...flow, from: end - 177 * DAY }] }),
  ];

  it('is the same each time it is made', () => {
    const again = [
      ...makeHistory({ people: 400, end, zone: 'Europe/Amsterdam', baseUrl: 'http://x', flows: [{ ...flow, from: end - 177 * DAY }] }),
    ];
    expect(JSON.stringify(again)).toBe(JSON.stringify(made));
  });

  it('lies within its 180 days, in order, and nothing of it is in the future', () => {
    for (const { replayed } of made) {
      const times = replayed.events.map((event) => event.time);
      expect([...times].sort((a, b) => a - b)).toEqual(times);
      for (const time of times) expect(time >= end - (HISTORY_DAYS + 1) * DAY && time <= end).toBe(true);
    }
  });

  it('has a weekly rhythm: more visits on a Sunday than on a Tuesday', () => {
    const visits = made.flatMap(({ replayed }) =>
      replayed.events.filter((event) => event.type === 'product.viewed').map((event) => new Date(event.time).getUTCDay()),
    );
    expect(visits.filter((day) => day === 0).length).toBeGreaterThan(visits.filter((day) => day === 2).length);
  });

  it('nobody gets mail who did not agree to it', () => {
    for (const { person, replayed } of made) if (person.consent !== 'given') expect(replayed.sends).toEqual([]);
    expect(made.some(({ replayed }) => replayed.sends.length > 0)).toBe(true);
  });

  it('law: a day on file comes round for just those occasions on which it is the day, as it stood then', () => {
    const dates = ['2026-11-26', '2026-12-01', '1990-12-03', '2000-02-29', '1988-02-28', 'no day', null];
    fc.assert(
      fc.property(
        fc.boolean(),
        fc.integer({ min: -3, max: 3 }),
        fc.constantFrom(...dates),
        fc.array(fc.record({ after: fc.integer({ min: 0, max: 400 * 24 }), is: fc.constantFrom(...dates) }), { maxLength: 4 }),
        (yearly, days, first, changes) => {
          const document = flowWith({
            triggers: [{ id: 'day', kind: 'date', event: 'flow.due', key: 'occasion', name: 'day', yearly, days, at: '09:00' }],
            reentry: 'always',
          });
          const [trigger] = document.triggers as [Extract<Trigger, { kind: 'date' }>];
          const until = START + 400 * DAY;
          let was: Value = first;
          const told = changes
            .map(({ after, is }) => ({ at: START + after * HOUR + 1, is }))
            .sort((a, b) => a.at - b.at)
            .map(({ at, is }) => {
              const change = { kind: 'attribute' as const, name: 'day', was, is, at };
              was = is;
              return change;
            });
          const { personId: _id, events: _events, ...known } = factsOf('1', { attributes: first === null ? {} : { day: first } });
          const replayed = replayPerson(
            [{ key: 'f', document, isOn: true, zone: flow.zone, from: START }],
            { id: '1', known, changes: told },
            [],
            until,
            counter(),
          );
          // each occasion in turn, by what stood on file at that moment
          const expected: number[] = [];
          for (
            let at = nextOccasion(trigger, START - 1, flow.zone);
            at !== null && at <= until;
            at = nextOccasion(trigger, at, flow.zone)
          ) {
            const last = told.findLast((change) => change.at <= at!);
            const day = last ? last.is : first;
            const facts = factsOf('1', { attributes: day === null ? {} : { day } });
            if (verdict(whoIsDue(trigger)!, facts, { now: at, zone: flow.zone }).holds) expected.push(at);
          }
          expect(replayed.events.flatMap((event) => (event.type === 'flow.due' ? [event.time] : []))).toEqual(expected);
        },
      ),
      { numRuns: 150 },
    );
  });

  it('an occasion by each person’s own clocks comes at that hour where they are, under one name for all', () => {
    const document = flowWith({
      triggers: [
        {
          id: 'news',
          kind: 'schedule',
          event: 'flow.due',
          key: 'occasion',
          starts: '2026-11-10T09:00',
          rule: null,
          who: null,
          clocks: 'person',
        },
      ],
    });
    const due = (zone: string | null) => {
      const { personId: _id, events: _events, ...own } = factsOf('1', { attributes: zone === null ? {} : { zone } });
      const replayed = replayPerson(
        [{ key: 'f', document, isOn: true, zone: flow.zone, from: START }],
        { id: '1', known: own, changes: [] },
        [],
        START + 30 * DAY,
        counter(),
      );
      return replayed.events.flatMap(({ type, time, properties }) =>
        type === 'flow.due' ? [[new Date(time).toISOString(), properties.occasion]] : [],
      );
    };
    // offsets of the IANA database on that day: +9, -5, +5:45, +11; Amsterdam +1
    expect(due('Asia/Tokyo')).toEqual([['2026-11-10T00:00:00.000Z', '2026-11-10T09:00']]);
    expect(due('America/New_York')).toEqual([['2026-11-10T14:00:00.000Z', '2026-11-10T09:00']]);
    expect(due('Asia/Kathmandu')).toEqual([['2026-11-10T03:15:00.000Z', '2026-11-10T09:00']]);
    expect(due('Australia/Lord_Howe')).toEqual([['2026-11-09T22:00:00.000Z', '2026-11-10T09:00']]);
    for (const none of [null, 'Mars/Olympus']) expect(due(none)).toEqual([['2026-11-10T08:00:00.000Z', '2026-11-10T09:00']]);
  });
});
