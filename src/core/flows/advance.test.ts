import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { cartLeftBehind, firstOrder } from '../../demo/flows';
import { factsOf, type FactEvent, type Facts, type Reach } from '../rules';
import { DAY, HOUR, MINUTE, SECOND } from '../time';
import { advance, type RunningFlow } from './advance';
import type { EarlierRun } from './begin';
import type { FlowDocument } from './document';
import { armedRun, type Effect, type Run, type TraceEntry } from './run';
import { sayTrace } from './trace';

const START = Date.parse('2026-11-24T12:00:00Z');
const OPEN: Reach = { hasAddress: true, state: 'given', suppressed: null, pausedUntil: null };
let ids = 0;
const event = (type: string, time: number, properties: FactEvent['properties'] = {}): FactEvent => ({
  id: String(++ids),
  type,
  time,
  properties,
});
const cart = (time: number, value = 149, cartId = 'c1') => event('cart.updated', time, { cartId, value, currency: 'EUR' });
const order = (time: number, properties: FactEvent['properties'] = { orderId: 'o1', cartId: 'c1', value: 149 }) =>
  event('order.placed', time, properties);
const facts = (events: FactEvent[], email = OPEN): Facts => factsOf('7', { reach: { email }, events });
const flow = (document: FlowDocument = cartLeftBehind, isOn = true): RunningFlow => ({
  key: 'cart',
  document,
  isOn,
  zone: 'Europe/Amsterdam',
});
const armed = (key = 'c1') => armedRun('1', '7', { trigger: 'start', key });
/** Moves a run at the very moment at which it is due. */
const move = (under: RunningFlow, run: Run, known: Facts, now: number, earlier: readonly EarlierRun[] = []) =>
  advance(under, run, known, { now, dueAt: now }, earlier);
const say = (entry: TraceEntry, run: Run, document: FlowDocument = cartLeftBehind) =>
  sayTrace(entry, run.about, document, { currency: 'EUR', zone: 'Europe/Amsterdam' });

/** Runs a flow to its end or to `until`, waking at the moments it asks for and at events it listens to. */
function play(document: FlowDocument, events: FactEvent[], until: number, email = OPEN) {
  let run: Run = armed();
  let now = events.find((one) => one.type === document.triggers[0]!.event)!.time;
  const effects: Effect[] = [];
  const told: { type: string; at: number; outcome: unknown }[] = [];
  const trace: TraceEntry[] = [];
  for (let guard = 0; guard < 100; guard++) {
    const result = move(
      flow(document),
      run,
      facts(
        events.filter((e) => e.time <= now),
        email,
      ),
      now,
    );
    run = result.run;
    effects.push(...result.effects);
    told.push(...result.told.map(({ type, at, properties }) => ({ type, at, outcome: properties.outcome })));
    trace.push(...result.trace);
    const heard = events.find((e) => e.time > now && result.wake.on.includes(e.type))?.time ?? Infinity;
    const next = Math.min(result.wake.at ?? Infinity, heard);
    if (next > until) break;
    now = next;
  }
  return {
    run,
    told,
    effects: effects.map((e) => e.stepId),
    trace: trace.map((t) => t.kind),
    says: trace.map((t) => say(t, run, document).says),
  };
}

describe('going in and coming out are told', () => {
  it('at the moment of entry and of the end, and how it ended; who never enters is not told of', () => {
    const END = START + 24 * HOUR;
    expect(play(cartLeftBehind, [cart(START)], START + 30 * DAY).told).toEqual([
      { type: 'flow.entered', at: START + HOUR, outcome: undefined },
      // through with its steps, while its goal may still be reached: told once
      { type: 'flow.left', at: END, outcome: 'completed' },
    ]);
    expect(play(cartLeftBehind, [cart(START), order(START + 5 * HOUR)], START + 30 * DAY).told[1]).toEqual({
      type: 'flow.left',
      at: START + 5 * HOUR,
      outcome: 'goal',
    });
    expect(play(cartLeftBehind, [cart(START), order(START + MINUTE)], START + 30 * DAY).told).toEqual([]);
  });

  it('its own rules see it at once, and flows that lead to each other come to an end', () => {
    const asking: FlowDocument = { ...cartLeftBehind, stay: { test: 'flow', flow: 'cart', was: 'inside', is: true } };
    expect(play(asking, [cart(START)], START + 2 * HOUR).run.phase).toBe('inside');
    const by = (hops: number) => {
      const about = { ...armed().about, data: { byFlow: 'other', hops } };
      const entered: Run = { ...armed(), about, phase: 'inside', enteredAt: START, step: null };
      return move(flow(), entered, facts([cart(START)]), START + HOUR).told.map(({ properties }) => properties.hops);
    };
    expect(by(3)).toEqual([4]);
    expect(by(10)).toEqual([]);
  });
});

describe('a cart left behind', () => {
  it('enters after an hour of silence, takes the arm of its value, waits, reminds, and goes through', () => {
    const { run, effects, trace } = play(cartLeftBehind, [cart(START)], START + 10 * DAY);
    expect(effects).toEqual(['big-cart', 'reminder']);
    expect(trace).toEqual(['entered', 'decided', 'sending', 'waiting', 'sending', 'completed']);
    expect(run).toMatchObject({ phase: 'ended', outcome: 'completed', enteredAt: START + HOUR, goalAt: null });
  });

  it('takes the lower arm below 100, and the upper from exactly 100', () => {
    expect(play(cartLeftBehind, [cart(START, 99.99)], START + 2 * HOUR).effects).toEqual(['small-cart']);
    expect(play(cartLeftBehind, [cart(START, 100)], START + 2 * HOUR).effects).toEqual(['big-cart']);
  });

  it('the silence begins anew with each change of the cart, and the last state of the cart counts', () => {
    const events = [cart(START, 149), cart(START + 30 * MINUTE, 40)];
    const { run, effects } = play(cartLeftBehind, events, START + 3 * HOUR);
    expect(run.enteredAt).toBe(START + 90 * MINUTE);
    expect(effects).toEqual(['small-cart']);
  });

  it('does not enter when the same cart was ordered, whether the order came before or after the last change', () => {
    for (const at of [START - MINUTE, START + MINUTE]) {
      const { run, says } = play(
        cartLeftBehind,
        [cart(START), order(at)].sort((a, b) => a.time - b.time),
        START + DAY,
      );
      expect(run.outcome).toBe('not-entered');
      expect(says.at(-1)).toBe('Did not enter: placed an order for it');
    }
  });

  it('an order of another cart does not end the silence; one that names no cart does, from its moment on', () => {
    expect(
      play(cartLeftBehind, [cart(START), order(START + MINUTE, { orderId: 'o2', cartId: 'other', value: 5 })], START + 2 * HOUR).run.phase,
    ).toBe('inside');
    expect(play(cartLeftBehind, [cart(START), order(START + MINUTE, { orderId: 'o2', value: 5 })], START + 2 * HOUR).run.outcome).toBe(
      'not-entered',
    );
    expect(play(cartLeftBehind, [order(START - MINUTE, { orderId: 'o2', value: 5 }), cart(START)], START + 2 * HOUR).run.phase).toBe(
      'inside',
    );
  });

  it('an emptied cart does not start anything', () => {
    expect(play(cartLeftBehind, [cart(START), cart(START + MINUTE, 0)], START + DAY).run.outcome).toBe('not-entered');
  });

  it('an order while waiting reaches the goal at once, and the reminder does not go out', () => {
    const { run, effects, says } = play(cartLeftBehind, [cart(START), order(START + 5 * HOUR)], START + 3 * DAY);
    expect(effects).toEqual(['big-cart']);
    expect(run).toMatchObject({ outcome: 'goal', goalAt: START + 5 * HOUR });
    expect(says.at(-1)).toContain('Goal reached');
  });

  it('an order after the last message still reaches the goal within its 7 days, and not after them', () => {
    expect(play(cartLeftBehind, [cart(START), order(START + 6 * DAY)], START + 30 * DAY).run).toMatchObject({
      outcome: 'completed',
      goalAt: START + 6 * DAY,
    });
    expect(play(cartLeftBehind, [cart(START), order(START + HOUR + 7 * DAY)], START + 30 * DAY).run).toMatchObject({
      outcome: 'completed',
      goalAt: null,
    });
  });

  it('keeps out who cannot be emailed, and says which condition it was', () => {
    const result = move(flow(), armed(), facts([cart(START)], { ...OPEN, state: 'unknown' }), START + HOUR);
    expect(result.run.outcome).toBe('not-entered');
    expect(say(result.trace[0]!, result.run).because).toMatchObject({
      holds: false,
      says: 'can be emailed',
      saw: 'no consent to email on file',
    });
  });

  it('consent withdrawn while waiting: the reminder is skipped and the trace says why', () => {
    let run = move(flow(), armed(), facts([cart(START)]), START + HOUR).run;
    const later = move(flow(), run, facts([cart(START)], { ...OPEN, state: 'withdrawn', suppressed: 'unsubscribed' }), START + DAY);
    run = later.run;
    expect(later.effects).toEqual([]);
    expect(later.trace.map((t) => say(t, run).says)).toContain('Did not send “Reminder”: address is suppressed (unsubscribed)');
  });

  it('leaves by the stay rule where there is no goal to end it', () => {
    const { run, trace } = play({ ...cartLeftBehind, goal: null }, [cart(START), order(START + 5 * HOUR)], START + 3 * DAY);
    expect(run.outcome).toBe('left');
    expect(trace.at(-1)).toBe('left');
  });

  it('once per cart: the same cart does not start again, another one does', () => {
    const earlier = [{ id: '0', key: 'c1', phase: 'ended' as const, outcome: 'completed' as const, enteredAt: START - DAY, effects: 2 }];
    const again = (key: string) => move(flow(), armed(key), facts([cart(START, 149, key)]), START + HOUR, earlier).run.outcome;
    expect(again('c1')).toBe('not-entered');
    expect(again('c2')).toBeNull();
    const neverEntered = move(flow(), armed('c1'), facts([cart(START)]), START + HOUR, [
      { id: '0', key: 'c1', phase: 'ended', outcome: 'not-entered', enteredAt: null, effects: 0 },
    ]);
    expect(neverEntered.run.phase).toBe('inside');
  });
});

describe('pause', () => {
  it('while paused nobody enters, nobody goes on past a wait, and an order still ends the run', () => {
    expect(move(flow(cartLeftBehind, false), armed(), facts([cart(START)]), START + HOUR).run.outcome).toBe('not-entered');
    const inside = move(flow(), armed(), facts([cart(START)]), START + HOUR).run;
    const paused = move(flow(cartLeftBehind, false), inside, facts([cart(START)]), START + 2 * DAY);
    expect(paused.effects).toEqual([]);
    expect(paused.run).toMatchObject({ phase: 'inside', step: 'reminder' });
    expect(move(flow(), paused.run, facts([cart(START)]), START + 3 * DAY).effects).toHaveLength(1);
    expect(move(flow(cartLeftBehind, false), paused.run, facts([cart(START), order(START + 2 * DAY)]), START + 3 * DAY).run.outcome).toBe(
      'goal',
    );
  });

  it('what fell due in a pause is let pass where that was chosen: up to the next wait, and no further', () => {
    const twice: FlowDocument = {
      ...cartLeftBehind,
      steps: cartLeftBehind.steps.flatMap((step) =>
        step.id === 'reminder' ? [step, { id: 'day', kind: 'wait' as const, for: 'P1D' }, { ...step, id: 'again' }] : [step],
      ),
    };
    const inside = move(flow(twice), armed(), facts([cart(START)]), START + HOUR).run;
    const paused = move(flow(twice, false), inside, facts([cart(START)]), START + 2 * DAY).run;
    const dropped = move(flow(twice), { ...paused, dropsDue: true }, facts([cart(START)]), START + 3 * DAY);
    expect(dropped.effects).toEqual([]);
    expect(dropped.trace).toContainEqual(expect.objectContaining({ kind: 'skipped', stepId: 'reminder', saw: { dropped: true } }));
    expect(dropped.run).toMatchObject({ step: 'day', waitUntil: START + 4 * DAY, dropsDue: false });
    expect(move(flow(twice), dropped.run, facts([cart(START)]), START + 4 * DAY).effects).toMatchObject([
      { kind: 'send', stepId: 'again' },
    ]);
  });
});

describe('a first order', () => {
  it('the order that starts the flow is not its goal, the next one is', () => {
    const first = order(START, { orderId: 'o1', value: 200 });
    const events = [first, order(START + 20 * DAY, { orderId: 'o2', value: 30 })];
    const start = { ...flow(firstOrder) };
    const entered = move(start, armed('o1'), facts([first]), START);
    expect(entered.run).toMatchObject({ phase: 'inside', goalAt: null });
    const { run } = move(start, { ...entered.run, phase: 'watching', outcome: 'completed' }, facts(events), START + 21 * DAY);
    expect(run.goalAt).toBe(START + 20 * DAY);
  });

  it('a message that is off is passed by, and said so', () => {
    const document: FlowDocument = {
      ...firstOrder,
      steps: firstOrder.steps.map((step) => (step.kind === 'send' ? { ...step, off: true } : step)),
    };
    const first = order(START, { orderId: 'o1', value: 200 });
    const entered = move(flow(document), armed('o1'), facts([first]), START);
    const next = move(flow(document), entered.run, facts([first]), START + 3 * DAY + HOUR);
    expect(next.effects).toEqual([]);
    expect(next.trace.some((t) => t.kind === 'skipped' && say(t, next.run, document).says.includes('is off'))).toBe(true);
  });
});

describe('laws', () => {
  const history = fc.array(
    fc.record({
      kind: fc.constantFrom('cart', 'order', 'orderWithoutCart', 'other'),
      at: fc.integer({ min: 0, max: 9 * DAY }),
      value: fc.integer({ min: 0, max: 300 }),
    }),
    { minLength: 1, maxLength: 8 },
  );
  const toEvents = (list: { kind: string; at: number; value: number }[]) =>
    [...list]
      .sort((a, b) => a.at - b.at)
      .map(({ kind, at, value }) =>
        kind === 'cart'
          ? cart(START + at, value)
          : kind === 'order'
            ? order(START + at)
            : kind === 'orderWithoutCart'
              ? order(START + at, { orderId: 'x', value })
              : event('page.viewed', START + at),
      );

  it('the same arguments give the same result, and none of them is changed', () => {
    fc.assert(
      fc.property(history, fc.integer({ min: 0, max: 12 * DAY }), (list, later) => {
        const known = facts(toEvents(list));
        const before = JSON.stringify(known);
        const run = Object.freeze(armed());
        const once = move(flow(), run, known, START + later);
        const twice = move(flow(), run, known, START + later);
        expect(twice).toEqual(once);
        expect(JSON.stringify(known)).toBe(before);
      }),
      { numRuns: 200 },
    );
  });

  it('no effect is emitted twice, however often and at whatever moments a run is woken', () => {
    fc.assert(
      fc.property(history, fc.array(fc.integer({ min: 0, max: 12 * DAY }), { minLength: 1, maxLength: 20 }), (list, wakes) => {
        const events = toEvents(list);
        let run: Run = armed();
        const seen = new Set<string>();
        const numbers: number[] = [];
        for (const at of [...wakes, ...wakes].sort((a, b) => a - b)) {
          const result = move(flow(), run, facts(events.filter((e) => e.time <= START + at)), START + at);
          run = result.run;
          for (const effect of result.effects) {
            const id = `${effect.stepId}/${effect.visit}`;
            expect(seen.has(id)).toBe(false);
            seen.add(id);
          }
          numbers.push(...result.trace.map((entry) => entry.seq));
          if (result.run.phase === 'ended') expect(result.wake).toEqual({ at: null, on: [] });
          else if (result.run.phase !== 'armed') expect(result.wake.at === null || result.wake.at > START + at).toBe(true);
        }
        expect(numbers).toEqual(numbers.map((_, index) => index));
      }),
      { numRuns: 300 },
    );
  });

  it('ends, whatever the nesting: no document can run for ever', () => {
    const steps = fc.letrec<{ steps: FlowDocument['steps'] }>((tie) => ({
      steps: fc.array(
        fc.oneof(
          { depthSize: 'small' },
          fc.constant({ kind: 'wait' as const, for: 'PT1H' }),
          fc.constant({ kind: 'end' as const }),
          fc.constant({ kind: 'send' as const }),
          tie('steps').map((inner) => ({ kind: 'branch' as const, inner })),
        ),
        { maxLength: 4 },
      ) as unknown as fc.Arbitrary<FlowDocument['steps']>,
    })).steps;
    let n = 0;
    type Rough = { kind: string; for?: string; inner?: Rough[] };
    const name = (list: Rough[]): FlowDocument['steps'] =>
      list.map((step) => {
        const id = `s${++n}`;
        if (step.kind === 'wait') return { id, kind: 'wait', for: step.for! };
        if (step.kind === 'end') return { id, kind: 'end' };
        if (step.kind === 'send')
          return {
            id,
            kind: 'send',
            name: id,
            message: { schema: 'viatic.message/1', channel: 'email', kind: 'service', subject: 's', preview: '', blocks: [] },
          };
        return {
          id,
          kind: 'branch',
          name: id,
          arms: [
            { id: `${id}a`, name: 'a', when: { all: [] }, steps: name(step.inner ?? []) },
            { id: `${id}b`, name: 'b', when: null, steps: [] },
          ],
        };
      });
    fc.assert(
      fc.property(steps, (rough) => {
        const document = { ...cartLeftBehind, steps: name(rough as unknown as Rough[]) };
        expect(play(document, [cart(START)], START + 100 * DAY).run.phase).toBe('ended');
      }),
      { numRuns: 150 },
    );
  });

  it('a run that is looked at a second too early waits for that second', () => {
    const result = move(flow(), armed(), facts([cart(START)]), START + HOUR - SECOND);
    expect(result).toMatchObject({ run: { phase: 'armed' }, wake: { at: START + HOUR } });
  });
});
