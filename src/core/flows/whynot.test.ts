import { expect, it } from 'vitest';
import { cartLeftBehind } from '../../demo/flows';
import { factsOf, type FactEvent, type Reach } from '../rules';
import { HOUR } from '../time';
import { whyNotEntered } from './whynot';
import type { EarlierRun } from './begin';
import { flowSchema, type FlowDocument } from './document';

const NOW = Date.parse('2026-11-24T12:00:00Z');
const OPEN: Reach = { hasAddress: true, state: 'given', suppressed: null, pausedUntil: null };
let ids = 0;
const cart = (time: number, properties: FactEvent['properties'] = {}): FactEvent => ({
  id: String(++ids),
  type: 'cart.updated',
  time,
  properties: { cartId: 'k1', value: 50, ...properties },
});
const ask = (events: FactEvent[], more: { reach?: Reach; isOn?: boolean; earlier?: EarlierRun[]; document?: FlowDocument } = {}) =>
  whyNotEntered(
    { key: 'cart', document: more.document ?? cartLeftBehind, isOn: more.isOn ?? true },
    factsOf('1', { events, reach: { email: more.reach ?? OPEN } }),
    more.earlier ?? [],
    {
      now: NOW,
      zone: 'Europe/Amsterdam',
      currency: 'EUR',
    },
  );
const first = (conditions: ReturnType<typeof ask>) => conditions.find((one) => !one.holds)?.says ?? null;

it('names the first condition that kept somebody out, in the order in which the engine looks', () => {
  expect(first(ask([cart(NOW - 2 * HOUR)], { isOn: false }))).toBe('The flow is not on');
  expect(first(ask([]))).toContain('Has never updated a cart');
  expect(first(ask([cart(NOW - 2 * HOUR, { value: 0 })]))).toContain('never as the trigger asks for');
  expect(first(ask([cart(NOW - 2 * HOUR, { cartId: '' })]))).toContain('has no cartId');
  expect(first(ask([cart(NOW - HOUR / 2)]))).toBe('The silence still lasts');
  expect(first(ask([cart(NOW - 2 * HOUR), { id: 'o', type: 'order.placed', time: NOW - HOUR, properties: { cartId: 'k1' } }]))).toContain(
    'The silence was ended: placed an order',
  );
  expect(
    first(
      ask([cart(NOW - 2 * HOUR)], {
        earlier: [{ id: '1', key: 'k1', phase: 'ended', outcome: 'completed', enteredAt: NOW - 5 * HOUR, effects: 2 }],
      }),
    ),
  ).toContain('has already run for k1');
});

it('looks at the days of the flow, and at what was told for this very flow where it goes by the clock', () => {
  const document = { ...cartLeftBehind, window: { from: '2026-11-25' } };
  expect(first(ask([cart(NOW - 2 * HOUR)], { document }))).toBe('The flow has not begun yet');
  const timed = flowSchema.parse({
    ...cartLeftBehind,
    entry: null,
    triggers: [{ id: 'clock', kind: 'date', name: 'birthday', yearly: true, days: 0, at: '09:00' }],
  });
  const due = (to: string): FactEvent => ({
    id: String(++ids),
    type: 'flow.due',
    time: NOW - HOUR,
    properties: { to, trigger: 'clock', occasion: '2026-11-24T08:00' },
  });
  expect(first(ask([due('another')], { document: timed }))).toContain('Has been due for a flow, but never as the trigger asks for');
  expect(first(ask([due('cart')], { document: timed }))).toBeNull();
});

it('explains an entry rule that does not hold by what was seen, and is silent when nothing stands in the way', () => {
  const refused = ask([cart(NOW - 2 * HOUR)], { reach: { ...OPEN, state: 'withdrawn' } }).find((one) => !one.holds)!;
  expect(refused).toMatchObject({ says: 'The entry rule does not hold', because: { holds: false, saw: 'consent to email was withdrawn' } });
  expect(first(ask([cart(NOW - 2 * HOUR)]))).toBeNull();
});
