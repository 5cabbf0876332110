import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { FactEvent } from '../rules';
import { DAY, HOUR, MINUTE } from '../time';
import { isOrderEvent, ledgerOf, LEDGER_EVENTS, touchesOf, type LedgerOrder } from './ledger';

const AT = Date.parse('2026-11-24T12:00:00Z');
let ids = 0;
const event = (type: string, time: number, properties: FactEvent['properties']): FactEvent => ({
  id: String(++ids),
  type,
  time,
  properties,
});
const told = [
  event('message.delivered', AT + MINUTE, { sendId: '1' }),
  event('message.delivered', AT, { sendId: '1' }),
  event('message.opened', AT + 3 * HOUR, { sendId: '1' }),
  event('message.opened', AT + HOUR, { sendId: '1' }),
  event('message.clicked', AT + 2 * HOUR, { sendId: '1' }),
  event('message.clicked', AT + 4 * HOUR, { sendId: '1' }),
  event('message.clicked', AT + 5 * HOUR, { sendId: '2' }),
  event('message.bounced', AT, { sendId: '3' }),
  event('message.opened', AT, { sendId: 7 }),
];

describe('what is told of messages', () => {
  it('is gathered for each: the first delivery and opening, every click; in whatever order it is told', () => {
    const sorted = (events: readonly FactEvent[]) =>
      touchesOf(events)
        .map((touch) => ({ ...touch, clickedAt: [...touch.clickedAt].sort() }))
        .sort((a, b) => (a.sendId < b.sendId ? -1 : 1));
    const touches = [
      { sendId: '1', channel: null, deliveredAt: AT, openedAt: AT + HOUR, clickedAt: [AT + 2 * HOUR, AT + 4 * HOUR] },
      { sendId: '2', channel: null, deliveredAt: null, openedAt: null, clickedAt: [AT + 5 * HOUR] },
    ];
    fc.assert(fc.property(fc.shuffledSubarray(told, { minLength: told.length }), (events) => void expect(sorted(events)).toEqual(touches)));
  });
});

describe('one person’s ledger', () => {
  const lastClick = (credits: LedgerOrder['credits']) =>
    credits.filter(({ model }) => model === 'last-click').map(({ sendId, minor, because }) => ({ sendId, minor, because }));
  const order = (type: string, orderId: unknown, time: number, more: object = {}) =>
    event(type, time, { orderId: orderId as string, currency: 'EUR', ...more });
  const events = [
    ...told,
    order('order.placed', 'a', AT + 6 * HOUR, { value: 40 }),
    order('order.refunded', 'a', AT + DAY, { value: 10 }),
    order('order.placed', 'b', AT + 20 * DAY, { value: 30 }),
    order('order.cancelled', 'c', AT + DAY),
    order('order.placed', 12, AT + DAY, { value: 5 }),
    order('page.viewed', 'd', AT),
  ];

  it('holds each order once, with all that its own events tell, and its credit', () => {
    const ledger = ledgerOf(events, 'EUR', () => true);
    expect(
      ledger.map(({ order: one, credits }) => [one.orderId, one.valueMinor, one.refundedMinor, one.isCancelled, lastClick(credits)]),
    ).toEqual([
      ['a', 4_000, 1_000, false, [{ sendId: '2', minor: 3_000, because: 'click' }]],
      ['b', 3_000, 0, false, []],
      // placed or not is not known yet: nothing can be credited
      ['c', 0, 0, true, []],
    ]);
  });

  it('credits no message that is not ours', () => {
    expect(lastClick(ledgerOf(events, 'EUR', (sendId) => sendId === '1')[0]!.credits)).toEqual([
      { sendId: '1', minor: 3_000, because: 'click' },
    ]);
    expect(ledgerOf(events, 'EUR', () => false)[0]!.credits).toEqual([]);
  });

  it('knows which events are about orders and which about messages', () => {
    expect(LEDGER_EVENTS.filter(isOrderEvent)).toEqual(['order.placed', 'order.cancelled', 'order.refunded']);
    expect(LEDGER_EVENTS).toHaveLength(6);
  });
});
