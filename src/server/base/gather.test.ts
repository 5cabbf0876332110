import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { gather, TooMuch } from './gather';

const soon = (turns = 1): Promise<void> => new Promise((done) => setTimeout(done, turns));
const plain = { sizeOf: () => 1, most: 100, atOnce: 1, mostWaiting: 1000, isOneBad: () => true };

describe('work that is asked for at the same time', () => {
  it('starts at once where nothing is being worked on, and what comes meanwhile goes together', async () => {
    const groups: number[][] = [];
    const double = gather<number, number>(async (group) => {
      groups.push([...group]);
      await soon();
      return group.map((n) => n * 2);
    }, plain);
    const first = double(1);
    expect(groups).toEqual([[1]]);
    expect(await Promise.all([first, double(2), double(3), double(4)])).toEqual([2, 4, 6, 8]);
    expect(groups).toEqual([[1], [2, 3, 4]]);
    expect(await double(5)).toBe(10);
    expect(groups).toHaveLength(3);
  });

  it('no group is filled beyond its size, and what is larger goes alone', async () => {
    const groups: number[][] = [];
    const take = gather<number, number>(
      async (group) => {
        groups.push([...group]);
        await soon();
        return group;
      },
      { ...plain, sizeOf: (n) => n, most: 10 },
    );
    await Promise.all([1, 6, 4, 5, 5, 1, 25, 3].map((n) => take(n)));
    expect(groups).toEqual([[1], [6, 4], [5, 5], [1], [25], [3]]);
  });

  it('one that fails takes nobody along: the group is done again piece by piece', async () => {
    let calls = 0;
    const work = gather<string, string>(async (group) => {
      calls += 1;
      await soon();
      if (group.includes('bad')) throw new Error(`not with ${group.length}`);
      return group.map((word) => word.toUpperCase());
    }, plain);
    const answers = await Promise.allSettled(['a', 'b', 'bad', 'c'].map((word) => work(word)));
    expect(answers.map((one) => (one.status === 'fulfilled' ? one.value : (one.reason as Error).message))).toEqual([
      'A',
      'B',
      'not with 1',
      'C',
    ]);
    expect(calls).toBe(1 + 1 + 3);
    expect(await work('after')).toBe('AFTER');
  });

  it('where the fault is nobody’s own, as when the database is gone, all of the group are told at once', async () => {
    let calls = 0;
    const work = gather<number, number>(
      async () => {
        calls += 1;
        await soon();
        throw new Error('the database is gone');
      },
      { ...plain, isOneBad: () => false },
    );
    const answers = await Promise.allSettled([1, 2, 3, 4].map((n) => work(n)));
    expect(answers.map((one) => one.status)).toEqual(Array(4).fill('rejected'));
    expect(calls).toBe(2);
  });

  it('does not let more wait than it may: what comes beyond is refused at once, and what waited is done', async () => {
    const take = gather<number, number>(
      async (group) => {
        await soon(5);
        return group;
      },
      { ...plain, sizeOf: (n) => n, mostWaiting: 10 },
    );
    const answers = await Promise.allSettled([10, 6, 4, 1, 1].map((n) => take(n)));
    expect(answers.map((one) => (one.status === 'fulfilled' ? one.value : one.reason instanceof TooMuch))).toEqual([10, 6, 4, true, true]);
    expect(await take(10)).toBe(10);
  });

  it('law: everybody gets their own answer, no more than so many groups run at once, and the order in which groups begin is that of asking', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(fc.integer({ min: 1, max: 9 }), fc.integer({ min: 0, max: 3 })), { minLength: 1, maxLength: 30 }),
        fc.integer({ min: 1, max: 3 }),
        async (pieces, atOnce) => {
          let running = 0;
          let most = 0;
          const begun: number[] = [];
          const work = gather<{ id: number; size: number; turns: number }, string>(
            async (group) => {
              running += 1;
              most = Math.max(most, running);
              begun.push(...group.map(({ id }) => id));
              expect(group.length === 1 || group.reduce((sum, { size }) => sum + size, 0) <= 12).toBe(true);
              await soon(Math.max(...group.map(({ turns }) => turns)));
              running -= 1;
              return group.map(({ id }) => `answer ${id}`);
            },
            { ...plain, sizeOf: ({ size }) => size, most: 12, atOnce },
          );
          const answers = await Promise.all(pieces.map(([size, turns], id) => work({ id, size, turns })));
          expect(answers).toEqual(pieces.map((_, id) => `answer ${id}`));
          expect(most).toBeLessThanOrEqual(atOnce);
          expect(begun).toEqual(pieces.map((_, id) => id));
        },
      ),
      { numRuns: 40 },
    );
  });
});
