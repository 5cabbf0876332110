import { sampleStandardDeviation } from 'simple-statistics';
import { expect, it } from 'vitest';
import { expectedIn } from './expected';

it('is the mean and twice the deviation of a sum of days, by a library of statistics; never less than none', () => {
  const days = [12, 8, 15, 9, 0, 0, 11, 14, 7, 10];
  const mean = 8.6;
  for (const ahead of [1, 2, 7]) {
    const spread = 2 * sampleStandardDeviation(days) * Math.sqrt(ahead);
    expect(expectedIn(days.filter(Boolean), 10, ahead)).toEqual({
      least: Math.max(0, Math.floor(mean * ahead - spread)),
      most: Math.ceil(mean * ahead + spread),
    });
  }
  expect(expectedIn([], 28, 2)).toEqual({ least: 0, most: 0 });
  expect(expectedIn(new Array<number>(28).fill(5), 28, 2)).toEqual({ least: 10, most: 10 });
});
