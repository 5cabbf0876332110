import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Value } from '../rules';
import { pathOf, pathSteps, placesIn, valueAtPath } from '.';

/** Names as senders make them up: with dots, brackets, quotes, a dollar sign, spaces, none at all, and those every object inherits. */
const name = fc.oneof(
  fc.constantFrom(
    'id',
    '$type',
    '$',
    'first.name',
    'a[0]',
    '"',
    '\\',
    '',
    ' ',
    '0',
    '__proto__',
    'constructor',
    'length',
    'größe',
    'line\nbreak',
  ),
  fc.string({ maxLength: 6 }),
);
const body = fc.letrec<{ value: Value }>((tie) => ({
  value: fc.oneof(
    { maxDepth: 4 },
    fc.constantFrom(null, true, 7, 'text'),
    fc.array(tie('value'), { maxLength: 3 }),
    fc.array(fc.tuple(name, tie('value')), { maxLength: 4 }).map((entries) => Object.fromEntries(entries) as Value),
  ),
})).value;

describe('a path', () => {
  it('law: steps written as a path are read back as they were', () => {
    fc.assert(
      fc.property(fc.array(fc.oneof(name, fc.nat({ max: 50 })), { maxLength: 5 }), (steps) => {
        expect(pathSteps(pathOf(steps))).toEqual(steps);
      }),
      { numRuns: 2000 },
    );
  });

  it('law: every place that can be pointed at leads back to its value', () => {
    fc.assert(
      fc.property(body, (value) => {
        for (const place of placesIn(value)) expect(valueAtPath(value, place.path)).toBe(place.value);
      }),
      { numRuns: 2000 },
    );
  });

  it('law: no two places share a path', () => {
    fc.assert(
      fc.property(body, (value) => {
        const paths = placesIn(value).map((place) => place.path);
        expect(new Set(paths).size).toBe(paths.length);
      }),
    );
  });

  it.each([
    ['order.lines[0].title', ['order', 'lines', 0, 'title']],
    ['$.order.id', ['order', 'id']],
    ['$', []],
    ['customer["first.name"]', ['customer', 'first.name']],
    ['["$type"]', ['$type']],
    ['[1][2]', [1, 2]],
  ])('%s are the steps %j', (path, steps) => {
    expect(pathSteps(path)).toEqual(steps);
  });

  it.each(['constructor', '__proto__.x', 'a.length', 'a["0"]', 'a[9]', 'id[0]', 'id.x', 'nothing.at.all'])(
    '%s leads nowhere: nothing inherited, nothing beyond the end',
    (path) => {
      expect(valueAtPath({ a: [1, 2], id: 'text' }, path)).toBeUndefined();
    },
  );

  it('a body that goes on without end is looked at to a limit', () => {
    const wide = Object.fromEntries(Array.from({ length: 5000 }, (_, n) => [`n${n}`, n]));
    expect(placesIn(wide)).toHaveLength(400);
    let deep: Value = 1;
    for (let i = 0; i < 5000; i++) deep = { d: deep };
    expect(placesIn(deep).length).toBeLessThan(20);
  });
});
