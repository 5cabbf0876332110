/** A stream of chance from a seed: the same seed gives the same stream (mulberry32, public domain). */
export interface Chance {
  /** in [0, 1) */
  next(): number;
  is(probability: number): boolean;
  below(limit: number): number;
  pick<T>(list: readonly T[]): T;
  weighted<T>(list: readonly (readonly [T, number])[]): T;
  /** exponential with the given mean */
  wait(mean: number): number;
}

export function chanceOf(seed: number): Chance {
  let state = seed >>> 0;
  const next = (): number => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = state;
    t = Math.imul(t ^ (t >>> 15), t | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
  const below = (limit: number) => Math.floor(next() * limit);
  return {
    next,
    is: (probability) => next() < probability,
    below,
    pick: (list) => list[below(list.length)]!,
    weighted(list) {
      let left = next() * list.reduce((sum, [, weight]) => sum + weight, 0);
      for (const [value, weight] of list) if ((left -= weight) < 0) return value;
      return list.at(-1)![0];
    },
    wait: (mean) => -Math.log(1 - next()) * mean,
  };
}
