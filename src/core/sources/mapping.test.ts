import { describe, expect, it } from 'vitest';
import { applyMapping, guessPlaces, mappingSchema, pathOf, pathSteps, placesIn, valueAtPath, type Mapping } from '.';

const body = {
  topic: 'orders/create',
  occurred_at: '2026-11-24T09:30:00+01:00',
  order: {
    id: 1001,
    total_cents: 24910,
    currency: 'eur',
    customer: { id: 77, email: 'Robin@example.com', 'first.name': 'Robin' },
    lines: [{ title: 'Moss ball', sku: 'QF-P1', qty: '2', price_cents: 700 }],
  },
};
const mapping: Mapping = mappingSchema.parse({
  schema: 'viatic.mapping/1',
  type: { path: 'topic', means: { 'orders/create': 'order.placed' } },
  time: 'occurred_at',
  person: { externalId: 'order.customer.id', email: 'order.customer.email', firstName: 'order.customer["first.name"]' },
  amount: { path: 'order.total_cents', unit: 'minor' },
  currency: { path: 'order.currency' },
  orderId: 'order.id',
  items: { path: 'order.lines', name: 'title', sku: 'sku', quantity: 'qty', price: 'price_cents' },
  properties: { topic: 'topic' },
});
const context = { source: 'webhook/x', id: 'msg_1', storeCurrency: 'EUR' };

describe('a mapping', () => {
  it('makes an order of somebody else’s JSON: minor units become major ones, texts numbers, whatever is missing is left out', () => {
    expect(applyMapping(mapping, body, context)).toEqual([
      {
        event: {
          id: 'msg_1',
          source: 'webhook/x',
          type: 'order.placed',
          subject: '77',
          time: '2026-11-24T09:30:00+01:00',
          data: {
            topic: 'orders/create',
            value: 249.1,
            currency: 'EUR',
            orderId: '1001',
            items: [{ name: 'Moss ball', sku: 'QF-P1', quantity: 2, price: 7 }],
            person: { email: 'Robin@example.com', firstName: 'Robin' },
          },
        },
      },
    ]);
  });

  it('minor units are those of the currency (ISO 4217): yen have none, Kuwaiti dinars three', () => {
    const value = (currency: string) =>
      (applyMapping(mapping, { ...body, order: { ...body.order, currency } }, context)[0] as { event: { data: { value: number } } }).event
        .data.value;
    expect([value('JPY'), value('KWD')]).toEqual([24910, 24.91]);
  });

  it('a type that is not mapped is left out and said, and so is a body without one', () => {
    expect(applyMapping(mapping, { topic: 'carts/delete' }, context)).toEqual([{ skipped: 'the type “carts/delete” is not mapped' }]);
    expect(applyMapping(mapping, {}, context)).toEqual([{ skipped: 'there is no type at topic' }]);
    expect(applyMapping(mapping, { topic: 'constructor' }, context)).toEqual([{ skipped: 'the type “constructor” is not mapped' }]);
  });

  it('a list in the body gives an event an entry, each with an id of its own', () => {
    const each: Mapping = { ...mapping, each: 'batch', type: { fixed: 'page.viewed' }, amount: null, items: null, currency: null };
    expect(applyMapping(each, { batch: [{}, {}] }, context).map((one) => ('event' in one ? one.event.id : one))).toEqual([
      'msg_1/0',
      'msg_1/1',
    ]);
    expect(applyMapping(each, { batch: 'none' }, context)).toEqual([{ skipped: 'there is no list at batch' }]);
  });

  it.each([
    [1795512600, '2026-11-24T09:30:00.000Z'],
    [1795512600000, '2026-11-24T09:30:00.000Z'],
    ['1795512600', '2026-11-24T09:30:00.000Z'],
    ['2026-11-24 09:30:00+0000', '2026-11-24T09:30:00+00:00'],
    ['soon', 'soon'],
  ])('reads the moment %j', (given, expected) => {
    expect((applyMapping(mapping, { ...body, occurred_at: given }, context)[0] as { event: { time: string } }).event.time).toBe(expected);
  });
});

describe('paths', () => {
  it('lead to what was pointed at, and back into text', () => {
    for (const { path, value } of placesIn(body)) expect(valueAtPath(body, path), path).toEqual(value);
    expect(pathOf(pathSteps('order.customer["first.name"]'))).toBe('order.customer["first.name"]');
    expect(valueAtPath(body, '$.order.lines[0].sku')).toBe('QF-P1');
    expect(valueAtPath(body, 'order.lines[9].sku')).toBeUndefined();
    expect(valueAtPath(body, 'constructor.name')).toBeUndefined();
  });

  it('guesses the usual places from their names', () => {
    expect(guessPlaces(placesIn(body))).toMatchObject({
      type: 'topic',
      time: 'occurred_at',
      email: 'order.customer.email',
      externalId: 'order.customer.id',
      amount: 'order.total_cents',
      currency: 'order.currency',
      orderId: 'order.id',
      items: 'order.lines',
    });
  });
});
