import fc from 'fast-check';
import { expect, it } from 'vitest';
import { Heap } from './heap';

it('gives back the least first, whatever is put in and taken out in between', () => {
  fc.assert(
    fc.property(fc.array(fc.oneof(fc.integer({ min: -50, max: 50 }), fc.constant('take' as const))), (acts) => {
      const heap = new Heap<number>((a, b) => a < b);
      const list: number[] = [];
      for (const act of acts) {
        if (act === 'take') {
          list.sort((a, b) => a - b);
          expect(heap.first).toBe(list[0]);
          expect(heap.pop()).toBe(list.shift());
        } else {
          heap.push(act);
          list.push(act);
        }
      }
      list.sort((a, b) => a - b);
      for (const one of list) expect(heap.pop()).toBe(one);
      expect(heap.pop()).toBeUndefined();
    }),
    { numRuns: 500 },
  );
});
