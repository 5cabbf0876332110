import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { currencyDigits } from '../money';
import type { Value } from '../rules';
import { applyMapping, guessPlaces, mappingSchema, pathOf, pathSteps, placesIn, valueAtPath, type Mapping } from '.';

/** Names of fields as senders choose them, and as somebody with ill will does. */
const name = fc.oneof(
  fc.constantFrom(
    'id',
    'order',
    'total',
    'e-mail',
    'first.name',
    'a b',
    '$',
    '$x',
    '[0]',
    '"',
    '\\',
    '',
    '__proto__',
    'constructor',
    'toString',
    'naïve',
    '🐠',
    '\n',
  ),
  fc.string({ maxLength: 6 }),
  fc.string({ unit: 'grapheme', maxLength: 4 }),
);
const { body } = fc.letrec<{ body: Value }>((tie) => ({
  body: fc.oneof(
    { depthSize: 'small', withCrossShrink: true },
    fc.string({ maxLength: 8 }) as fc.Arbitrary<Value>,
    fc.double({ noNaN: true }),
    fc.boolean(),
    fc.constant(null),
    fc.array(tie('body'), { maxLength: 3 }),
    fc
      .array(fc.tuple(name, tie('body')), { maxLength: 4 })
      .map(
        (entries) => JSON.parse(`{${entries.map(([key, value]) => `${JSON.stringify(key)}:${JSON.stringify(value)}`).join(',')}}`) as Value,
      ),
  ),
}));
const path = fc
  .oneof(
    fc.array(fc.oneof(name, fc.nat(3)), { minLength: 1, maxLength: 4 }).map(pathOf),
    fc.string({ minLength: 1, maxLength: 30 }),
    fc.string({ unit: fc.constantFrom('[', ']', '"', '\\', '.', '$', 'a', '0', ' ', 'u'), minLength: 1, maxLength: 12 }),
  )
  .filter((text) => text.trim() !== '');
const context = { source: 'webhook/x', id: 'msg_1', storeCurrency: 'EUR' };

describe('paths', () => {
  it('any path into anything is a value or nothing, and never what is inherited', () => {
    fc.assert(
      fc.property(body, path, (root, where) => {
        const found = valueAtPath(root, where);
        expect(typeof found).not.toBe('function');
        if (found !== undefined) expect(JSON.stringify(root)).toContain(JSON.stringify(found));
      }),
      { numRuns: 1000 },
    );
  });

  it.each(['["\\x"]', '["a\nb"]', '["\\u12"]', '["', '[[0]', '[-1]', '[99999999999999999999]'])(
    'a path that leads nowhere (%j) is no error',
    (where) => {
      expect(valueAtPath({ a: [1] }, where)).toBeUndefined();
    },
  );

  it('what has no step in it is the body itself where it is written so, and no path otherwise', () => {
    const of = (where: string) =>
      mappingSchema.safeParse({ schema: 'viatic.mapping/1', type: { fixed: 'a.b' }, person: {}, id: where }).success;
    expect([of('$'), of('$.'), of('a.b'), of('["a b"][0]'), of('..'), of('[]'), of('"'), of(' ')]).toEqual([
      true,
      true,
      true,
      true,
      false,
      false,
      true,
      false,
    ]);
    expect(valueAtPath([1, 2], '$')).toEqual([1, 2]);
  });

  it('every place in a body can be pointed at, whatever its fields are called', () => {
    fc.assert(
      fc.property(body, (root) => {
        for (const { path: where, value } of placesIn(root)) expect(valueAtPath(root, where), where).toEqual(value);
      }),
      { numRuns: 500 },
    );
  });

  it('steps written as a path are the same steps again', () => {
    fc.assert(
      fc.property(fc.array(fc.oneof(name, fc.nat(99)), { minLength: 1, maxLength: 5 }), (steps) => {
        expect(pathSteps(pathOf(steps))).toEqual(steps);
      }),
      { numRuns: 1000 },
    );
  });
});

const maybe = <T>(one: fc.Arbitrary<T>) => fc.option(one, { nil: null });
const mapping: fc.Arbitrary<Mapping> = fc
  .record({
    each: maybe(path),
    type: fc.oneof(
      fc.constant({ fixed: 'order.placed' }),
      fc.record({ path, means: fc.constant({ a: 'cart.updated', '1': 'order.placed' }) }),
    ),
    id: maybe(path),
    time: maybe(path),
    person: fc.record({ externalId: maybe(path), email: maybe(path), consent: maybe(path) }),
    amount: maybe(fc.record({ path, unit: fc.constantFrom('major' as const, 'minor' as const) })),
    currency: maybe(fc.oneof(fc.record({ path }), fc.constant({ fixed: 'JPY' }))),
    cartId: maybe(path),
    orderId: maybe(path),
    items: maybe(fc.record({ path, name: maybe(path), price: maybe(path) })),
    properties: fc.dictionary(fc.constantFrom('colour', 'größe', '_x'), path, { maxKeys: 2 }),
  })
  .map((one) => ({ schema: 'viatic.mapping/1' as const, ...one }) as Mapping);

describe('any mapping of any body', () => {
  it('makes events with an id, a source and a type, or says why an entry is none', () => {
    fc.assert(
      fc.property(mapping, body, (one, sent) => {
        if (!mappingSchema.safeParse(one).success) return;
        const made = applyMapping(one, sent, context);
        for (const entry of made) {
          if ('skipped' in entry) {
            expect(entry.skipped).not.toBe('');
            continue;
          }
          const { event } = entry as { event: { id: string; source: string; type: string; data: Record<string, Value> } };
          expect(event.id.length).toBeGreaterThan(0);
          expect(event.id.length).toBeLessThanOrEqual(255);
          expect([event.source, typeof event.type, typeof event.data]).toEqual(['webhook/x', 'string', 'object']);
          if (event.data.items !== undefined) expect(Array.isArray(event.data.items)).toBe(true);
        }
        // the same body says the same again: that is how a repeat is told
        expect(applyMapping(one, sent, context)).toEqual(made);
        if (!one.each) expect(made).toHaveLength(1);
      }),
      { numRuns: 1000 },
    );
  });

  it('entries of one list never share an id, where the mapping names none', () => {
    fc.assert(
      fc.property(fc.array(body, { maxLength: 6 }), (list) => {
        const made = applyMapping(
          { schema: 'viatic.mapping/1', each: 'list', type: { fixed: 'page.viewed' }, person: {}, properties: {} },
          { list },
          context,
        );
        const ids = made.map((entry) => ('event' in entry ? entry.event.id : null));
        expect(new Set(ids).size).toBe(list.length);
      }),
    );
  });

  it('minor units become major ones and back without a loss, in every currency (ISO 4217)', () => {
    const minor: Mapping = {
      schema: 'viatic.mapping/1',
      type: { fixed: 'order.placed' },
      person: {},
      amount: { path: 'cents', unit: 'minor' },
      currency: { path: 'in' },
      properties: {},
    };
    fc.assert(
      fc.property(fc.nat(1_000_000_000), fc.constantFrom('EUR', 'USD', 'JPY', 'KWD', 'SEK', 'CLP'), (cents, currency) => {
        const [made] = applyMapping(minor, { cents, in: currency.toLowerCase() }, context);
        const { data } = (made as unknown as { event: { data: { value: number; currency: string } } }).event;
        expect(data.currency).toBe(currency);
        expect(Math.round(data.value * 10 ** currencyDigits(currency)!)).toBe(cents);
      }),
    );
  });

  it('a guess points at a place that is there', () => {
    fc.assert(
      fc.property(body, (sent) => {
        const places = placesIn(sent);
        for (const where of Object.values(guessPlaces(places))) expect(places.some((place) => place.path === where)).toBe(true);
      }),
    );
  });

  it('a property called __proto__ is none, and changes nothing that others inherit', () => {
    const parsed = mappingSchema.parse(
      JSON.parse('{"schema":"viatic.mapping/1","type":{"fixed":"a.b"},"person":{},"properties":{"__proto__":"x"}}'),
    );
    const [made] = applyMapping(parsed, { x: { isAdmin: true } }, context);
    expect(made).toEqual({ event: { id: 'msg_1', source: 'webhook/x', type: 'a.b', data: {} } });
    expect(({} as { isAdmin?: boolean }).isAdmin).toBeUndefined();
  });

  it.each(['a b', '', '1st', 'x'.repeat(61)])('a property may not be called %j', (called) => {
    const parsed = mappingSchema.safeParse(
      JSON.parse(`{"schema":"viatic.mapping/1","type":{"fixed":"a.b"},"person":{},"properties":{${JSON.stringify(called)}:"x"}}`),
    );
    expect(parsed.success).toBe(false);
  });
});
