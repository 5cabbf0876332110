import fc from 'fast-check';
import { expect, it } from 'vitest';
import { barOf, TALLEST } from './tall';

it('bar and list are the same as long as an element can be as tall as the list', () => {
  const bar = barOf(34_000, 600);
  expect([bar.height, bar.at(3400), bar.top(3400)]).toEqual([34_000, 3400, 3400]);
});

it('at the end of the bar the end of the list is in view, of three million rows too', () => {
  for (const rows of [1000, 1_000_000, 3_000_000]) {
    const bar = barOf(rows * 34, 600);
    expect(bar.height).toBeLessThanOrEqual(TALLEST);
    expect(bar.at(bar.height - 600)).toBe(rows * 34 - 600);
  }
});

it('every place of the list can be reached, and further down the bar is further down the list', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 1, max: 3_000_000 }),
      fc.double({ min: 0, max: 1, noNaN: true }),
      fc.double({ min: 0, max: 1, noNaN: true }),
      (rows, one, other) => {
        const full = rows * 34;
        const bar = barOf(full, 600);
        const end = Math.max(0, full - 600);
        const [low, high] = [Math.min(one, other) * end, Math.max(one, other) * end];
        expect(bar.top(low)).toBeLessThanOrEqual(bar.top(high));
        expect(bar.at(bar.top(low))).toBeCloseTo(low, 3);
        expect(bar.top(high)).toBeLessThanOrEqual(Math.max(0, bar.height - 600));
      },
    ),
  );
});
