import fc from 'fast-check';
import { expect, it } from 'vitest';
import { TALLEST, windowOf } from './window';

it('shows the rows that are in view, with a few beyond', () => {
  expect(windowOf(1000, 34, 340, 3400)).toEqual({ height: 34_000, first: 96, last: 114, offset: 3264 });
  expect(windowOf(0, 34, 340, 0)).toEqual({ height: 0, first: 0, last: 0, offset: 0 });
});

it('at the end of the bar the last row is in view, of a million rows too', () => {
  for (const count of [10, 1000, 1_000_000]) {
    const { height } = windowOf(count, 34, 600, 0);
    expect(height).toBeLessThanOrEqual(TALLEST);
    expect(windowOf(count, 34, 600, Math.max(0, height - 600)).last).toBe(count);
  }
});

it('every row can be reached, and further down the bar never means further up the list', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 1, max: 3_000_000 }),
      fc.integer({ min: 0, max: TALLEST }),
      fc.integer({ min: 0, max: 5000 }),
      (count, top, more) => {
        const { height } = windowOf(count, 34, 600, 0);
        const at = Math.min(top, Math.max(0, height - 600));
        const [one, other] = [windowOf(count, 34, 600, at), windowOf(count, 34, 600, Math.min(at + more, Math.max(0, height - 600)))];
        expect(other.first).toBeGreaterThanOrEqual(one.first);
        expect(one.last).toBeGreaterThan(one.first);
      },
    ),
  );
});
