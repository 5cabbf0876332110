import { describe, expect, it } from 'vitest';
import { DAY, HOUR } from '../../time';
import type { Value } from '../../rules';
import { flowSchema, type FlowDocument, type Step } from '../document';
import { placesOf } from '../places';
import { preflight } from '../preflight';
import { flowWith, letter } from '../testing/asking';
import { live, type Arrival } from '../testing/arrivals';
import { idsAboveAll, replayPerson } from '../../replay';
import { factsOf } from '../../rules';
import { sayTrace } from '../trace';
import { sayShortWait, sayWait, type WaitStep } from '.';

const START = Date.UTC(2026, 10, 2, 12);
const wait = (more: Partial<NonNullable<WaitStep['parcel']>> = {}, rest: object = {}): WaitStep => ({
  id: 'there',
  kind: 'wait',
  parcel: { is: 'delivered', then: 'P7D', estimates: [{ countries: ['GB', 'US'], takes: 'P10D' }], otherwise: 'P3D', ...more },
  ...rest,
});
const flowOf = (...steps: Step[]) => flowWith({ name: 'Review', steps });
const event = (type: string, days: number, properties: { readonly [name: string]: Value }): Arrival => {
  const time = START + days * DAY;
  return { event: { id: String(Math.round(days * 100) + 1), type, time, properties }, at: time };
};
const order = event('order.placed', 0, { orderId: 'o1', value: 50 });
const delivered = (days: number, orderId = 'o1') => event('order.delivered', days, { orderId });
/** After how many days the message goes out. */
const sentAfter = (document: FlowDocument, arrivals: Arrival[], attributes: { readonly [name: string]: Value } = {}, isSparing = true) =>
  live({ key: 'f', document, isOn: true, zone: 'UTC' }, arrivals, START + 60 * DAY, { attributes, isSparing }).sends.map(
    ({ at }) => (at - START) / DAY,
  );

describe('a wait for a parcel', () => {
  const review = flowOf(wait(), letter('review'));

  it('counts from the day on which the shop says that it was delivered, early or late', () => {
    for (const isSparing of [true, false]) {
      expect(sentAfter(review, [order, delivered(2)], {}, isSparing)).toEqual([9]);
      expect(sentAfter(review, [order, delivered(9)], {}, isSparing)).toEqual([16]);
      // told just before it would have been taken to be there
      expect(sentAfter(review, [order, delivered(9.5)], {}, isSparing)).toEqual([16.5]);
    }
  });

  it('is taken to be there by the country of the person where the shop does not tell', () => {
    expect(sentAfter(review, [order])).toEqual([10]);
    expect(sentAfter(review, [order], { country: 'US' })).toEqual([17]);
    expect(sentAfter(review, [order], { country: 'gb' })).toEqual([17]);
    expect(sentAfter(review, [order], { country: 'United Kingdom' })).toEqual([17]);
    expect(sentAfter(review, [order], { country: 'NL' })).toEqual([10]);
    // the parcel of another order is another parcel
    expect(sentAfter(review, [order, delivered(1, 'o2')])).toEqual([10]);
  });

  it('that was there before the wait began is not waited for again', () => {
    const late = flowOf({ id: 'first', kind: 'wait', for: 'P20D' }, wait(), letter('review'));
    expect(sentAfter(late, [order, delivered(2)])).toEqual([20]);
    expect(sentAfter(flowOf({ id: 'first', kind: 'wait', for: 'P5D' }, wait(), letter('review')), [order, delivered(2)])).toEqual([9]);
  });

  it('can go by when it is sent, at once, and then by hours', () => {
    const sent = flowOf(wait({ is: 'shipped', then: undefined as never }), letter('on-its-way'));
    const parsed = flowSchema.parse(JSON.parse(JSON.stringify(sent)));
    expect(sentAfter(parsed, [order, event('order.shipped', 0.5, { orderId: 'o1' })])).toEqual([0.5]);
    const at9 = flowOf(wait({}, { hours: { from: '09:00', to: '10:00' } }), letter('review'));
    expect(sentAfter(at9, [order, delivered(2)])).toEqual([9 + 21 / 24]);
  });

  it('is said with what is taken where the shop does not tell, and is no wait for a while beside', () => {
    expect(sayWait(wait())).toBe(
      'Wait until 7 days after their order is delivered (where the shop does not tell: 10 days after it to GB, US, 3 days elsewhere)',
    );
    expect(sayShortWait(wait())).toBe('delivered + 7 days');
    expect(sayWait(wait({ estimates: [] }))).toContain('(where the shop does not tell: 3 days after it)');
    expect(() => flowOf({ ...wait(), for: 'P1D' })).toThrow(/one of them/);
    const codes = (document: FlowDocument) => preflight(document).map(({ code }) => code);
    expect(codes(review)).not.toContain('parcel-without-order');
    const carts = flowWith({
      name: 'C',
      triggers: [{ id: 's', kind: 'event', event: 'cart.updated', key: 'cartId' }],
      steps: review.steps,
    });
    expect(codes(carts)).toContain('parcel-without-order');
  });
});

describe('so many a day', () => {
  const document = (beyond: 'wait' | 'drop') => ({ ...flowOf(letter('hello')), perDay: { most: 2, beyond } });
  const lived = (beyond: 'wait' | 'drop', hours: number[]) => {
    const flow = { key: 'f', document: document(beyond), isOn: true, zone: 'Europe/Amsterdam', from: START };
    const places = placesOf(flow.document, flow.zone, new Map());
    const nextId = idsAboveAll();
    return hours.map((hour, n) => {
      const arrived = { id: String(n + 1), type: 'order.placed', time: START + hour * HOUR, properties: { orderId: `o${n}` } };
      const {
        personId: _,
        events: _events,
        ...known
      } = factsOf(String(n), { reach: { email: { hasAddress: true, state: 'given', suppressed: null, pausedUntil: null } } });
      const { runs, sends } = replayPerson(
        [{ ...flow, places }],
        { id: String(n), known, changes: [] },
        [arrived],
        START + 20 * DAY,
        nextId,
      );
      const says = runs[0]!.trace.map(
        (entry) => sayTrace(entry, { trigger: 'start', key: 'o' }, flow.document, { currency: 'EUR', zone: flow.zone }).says,
      );
      return { sentAt: sends.map(({ at }) => (at - START) / HOUR), says };
    });
  };

  it('those beyond wait for the next day, those beyond that for the one after', () => {
    // it is one in the afternoon in Amsterdam: the next day begins eleven hours later
    const all = lived('wait', [0, 1, 2, 3, 4]);
    expect(all.map(({ sentAt }) => sentAt)).toEqual([[0], [1], [11], [11], [35]]);
    expect(all[4]!.says.slice(0, 2)).toEqual([
      'Waits to enter: 2 had entered that day, and no more do',
      'Waits to enter: 2 had entered that day, and no more do',
    ]);
  });

  it('or they do not enter', () => {
    const all = lived('drop', [0, 1, 2, 30]);
    expect(all.map(({ sentAt }) => sentAt.length)).toEqual([1, 1, 0, 1]);
    expect(all[2]!.says).toEqual(['Did not enter: 2 had entered that day, and no more do']);
  });

  it('who has waited for a week does not enter any more', () => {
    const all = lived(
      'wait',
      Array.from({ length: 20 }, () => 0),
    );
    expect(all.filter(({ sentAt }) => sentAt.length)).toHaveLength(16);
    expect(all.at(-1)!.says.at(-1)).toBe('Did not enter: 2 had entered that day, and no more do');
  });
});
