import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { assignOrders, type OrderHolder, type OrderMention } from './ownership';

const mention = (type: string, orderId: string, time: number, more: Partial<OrderMention> = {}): OrderMention => ({
  type,
  orderId,
  time,
  source: 'shop',
  eventId: `${type}-${orderId}-${time}`,
  ...more,
});
const same = (id: string) => id;
interface Sent {
  readonly event: OrderMention;
  readonly person: string | null;
}
/** Sends events in batches, one after another; returns the owner of each stored event, by event id. */
function send(batches: readonly (readonly Sent[])[]): Map<string, string> {
  let stored: OrderHolder[] = [];
  for (const batch of batches) {
    const { owners, moves } = assignOrders(
      batch.map(({ event }) => event),
      batch.map(({ person }) => person),
      stored,
      same,
    );
    for (const { orderId, source, from, to } of moves)
      stored = stored.map((one) =>
        one.personId === from && one.orderId === orderId && (one.source === source || one.type !== 'order.placed')
          ? { ...one, personId: to }
          : one,
      );
    stored = [...stored, ...[...owners].map(([index, personId]) => ({ ...batch[index]!.event, personId }))];
  }
  return new Map(stored.map(({ eventId, personId }) => [eventId, personId]));
}

describe('the owner of an order', () => {
  it('is the person named by the latest order, and its refunds go along', () => {
    const first = { event: mention('order.placed', 'o1', 1), person: 'guest' };
    const refund = { event: mention('order.refunded', 'o1', 2, { source: 'till' }), person: 'other' };
    const second = { event: mention('order.placed', 'o1', 3), person: 'anna' };
    const owners = send([[first], [refund], [second]]);
    expect([...owners.values()]).toEqual(['anna', 'anna', 'anna']);
  });

  it('is another for the id of another source', () => {
    const owners = send([
      [{ event: mention('order.placed', 'o1', 1), person: 'anna' }],
      [{ event: mention('order.placed', 'o1', 2, { source: 'shop-2', eventId: 'two' }), person: 'bela' }],
      [{ event: mention('order.refunded', 'o1', 3, { source: 'shop-2' }), person: null }],
    ]);
    expect(owners.get('order.placed-o1-1')).toBe('anna');
    expect(owners.get('order.refunded-o1-3')).toBe('bela');
  });

  it('is nobody while a refund names nobody', () => {
    expect(send([[{ event: mention('order.refunded', 'o1', 1), person: null }]]).size).toBe(0);
  });

  it('law: does not depend on the order in which events arrive, nor on how they are cut into batches', () => {
    const placed = fc.record({
      type: fc.constant('order.placed'),
      order: fc.integer({ min: 1, max: 2 }),
      time: fc.nat(5),
      person: fc.constantFrom('a', 'b', 'c'),
    });
    const refunded = fc.record({
      type: fc.constant('order.refunded'),
      order: fc.integer({ min: 1, max: 2 }),
      time: fc.nat(5),
      person: fc.constantFrom('a', 'b', 'c'),
    });
    const events = fc.array(fc.oneof(placed, refunded), { minLength: 1, maxLength: 8 }).map((list) =>
      list.map(({ type, order, time, person }, index): Sent => ({
        event: mention(type, `o${order}`, time, { eventId: `e${index}`, source: type === 'order.placed' ? 'shop' : 'till' }),
        person,
      })),
    );
    const shuffled = events.chain((list) =>
      fc.tuple(fc.constant(list), fc.shuffledSubarray(list, { minLength: list.length }), fc.integer({ min: 1, max: 4 })),
    );
    fc.assert(
      fc.property(shuffled, ([list, other, size]) => {
        // an order that is never placed belongs to whom its first refund names: that is all there is to go by
        const isPlaced = new Set(list.filter(({ event }) => event.type === 'order.placed').map(({ event }) => event.orderId));
        const ofOrders = (owners: Map<string, string>) =>
          [...owners].filter(([id]) => isPlaced.has(list.find(({ event }) => event.eventId === id)!.event.orderId)).sort();
        const cut = Array.from({ length: Math.ceil(other.length / size) }, (_, at) => other.slice(at * size, (at + 1) * size));
        expect(ofOrders(send(cut))).toEqual(ofOrders(send([list])));
      }),
      { numRuns: 500, seed: 27 },
    );
  });
});
