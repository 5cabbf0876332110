import { describe, expect, it } from 'vitest';
import { daysOfWarmUp, mostOnDay, usualWarmUp, warmUpSchema } from './warmup';

describe('the warm-up of a sender', () => {
  it('grows by its share each day, like interest (100 at 50 % is 506 after four days), and ends where the sender is known', () => {
    const plan = usualWarmUp();
    expect([0, 1, 2, 3, 4].map((day) => mostOnDay(plan, day))).toEqual([100, 150, 225, 337, 506]);
    expect(mostOnDay(plan, 13)).toBe(19_461);
    expect(mostOnDay(plan, 14)).toBeNull();
  });

  it('says for how many days it keeps something back: those on which there is a most', () => {
    for (const plan of [
      usualWarmUp(),
      { first: 50, growth: 100, until: 800 },
      { first: 1, growth: 1, until: 3 },
      { first: 10, growth: 5, until: 10 },
    ])
      expect(Array.from({ length: 400 }, (_, day) => mostOnDay(plan, day)).filter((most) => most !== null)).toHaveLength(
        daysOfWarmUp(plan),
      );
  });

  it('is no plan where it ends below its beginning', () => {
    expect(warmUpSchema.safeParse({ first: 100, growth: 50, until: 20 }).success).toBe(false);
  });
});
