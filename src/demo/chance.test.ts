import { describe, expect, it } from 'vitest';
import { chanceOf } from './chance';

const many = (work: () => number, n = 20_000) => Array.from({ length: n }, work);
const mean = (list: number[]) => list.reduce((a, b) => a + b, 0) / list.length;

describe('chance from a seed', () => {
  it('is the same for the same seed and another for another', () => {
    const draw = (seed: number) => many(chanceOf(seed).next, 5);
    expect(draw(7)).toEqual(draw(7));
    expect(draw(7)).not.toEqual(draw(8));
  });

  it('is spread evenly: mean 1/2, variance 1/12 (uniform distribution)', () => {
    const list = many(chanceOf(1).next);
    expect(mean(list)).toBeCloseTo(0.5, 2);
    expect(mean(list.map((x) => (x - 0.5) ** 2))).toBeCloseTo(1 / 12, 2);
    expect(list.every((x) => x >= 0 && x < 1)).toBe(true);
  });

  it('waits with the mean asked for, half of them shorter than ln 2 of it (exponential distribution)', () => {
    const chance = chanceOf(2);
    const list = many(() => chance.wait(10)).sort((a, b) => a - b);
    expect(Math.abs(mean(list) - 10)).toBeLessThan(0.4);
    expect(Math.abs(list[10_000]! - 10 * Math.LN2)).toBeLessThan(0.3);
  });

  it('picks by weight', () => {
    const chance = chanceOf(3);
    const picks = Array.from({ length: 20_000 }, () =>
      chance.weighted([
        ['a', 3],
        ['b', 1],
      ] as const),
    );
    expect(picks.filter((pick) => pick === 'a').length / picks.length).toBeCloseTo(0.75, 1);
    expect(chance.pick(['only'])).toBe('only');
    expect(many(() => Number(chance.is(0.2))).reduce((a, b) => a + b) / 20_000).toBeCloseTo(0.2, 1);
  });
});
