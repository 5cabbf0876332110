import { describe, expect, it } from 'vitest';
import { sayVerdict } from './verdict';

const arms = (...all: [number, number][]) => all.map(([people, goal], n) => ({ id: `a${n}`, name: `Way ${n + 1}`, people, goal }));

describe('what is said of a test', () => {
  it('nothing before each way has had enough people', () => {
    expect(sayVerdict(arms([40, 4], [400, 40]))).toMatch(/^Too early to say: each way needs at least \d+ people, and one has had 40\.$/);
    expect(sayVerdict(arms([0, 0], [5000, 100]))).toMatch(/^Too early/);
  });

  it('no difference where the interval holds none; how far it may lie either way', () => {
    expect(sayVerdict(arms([1000, 100], [1000, 104]))).toMatch(/^No difference is sure yet: between “Way 2” and “Way 1” it lies between/);
  });

  it('a difference with its interval where it is more than chance would do', () => {
    // 0.1 ± √(V(V+τ²)/τ² · (2 ln 20 + ln((V+τ²)/V))) with V 0.00025025 and τ 0.03: 0.0490, worked by hand
    expect(sayVerdict(arms([1000, 100], [1000, 200]))).toMatch(/^“Way 2” is ahead of “Way 1” by 5\.1 to 14\.9 points of a hundred\./);
  });
});
