import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { insertBlocks, movedBlock, movedTo, withoutColumns, withoutConditions, type Spot } from './arrange';
import { everyBlock, freshBlock, type Block } from './block';

const text = (id: string): Block => ({ id, kind: 'text', text: id });
const columns: Block = {
  id: 'c',
  kind: 'columns',
  columns: [
    {
      id: 'c-1',
      blocks: [
        { id: 'l1', kind: 'text', text: 'l1' },
        { id: 'l2', kind: 'text', text: 'l2' },
      ],
    },
    { id: 'c-2', blocks: [] },
  ],
};
const blocks = [text('a'), columns, text('b')];
const ids = (all: readonly Block[]) => everyBlock(all).map(({ id }) => id);

describe('parts of a letter', () => {
  it.each<[Spot, string[]]>([
    [{ after: 'a' }, ['a', 'new', 'c', 'l1', 'l2', 'b']],
    [{ first: null }, ['new', 'a', 'c', 'l1', 'l2', 'b']],
    [{ after: 'l1' }, ['a', 'c', 'l1', 'new', 'l2', 'b']],
    [{ first: 'c-2' }, ['a', 'c', 'l1', 'l2', 'new', 'b']],
  ])('are put in at %j', (spot, order) => expect(ids(insertBlocks(blocks, spot, [text('new')]))).toEqual(order));

  it('columns do not stand in columns, and a copy asks for no condition of the letter that it came from', () => {
    const fresh = [freshBlock('columns', 'x'), text('t')];
    expect(withoutColumns(fresh, { after: 'a' }, blocks)).toEqual(fresh);
    expect(withoutColumns(fresh, { after: 'l1' }, blocks)).toEqual([text('t')]);
    expect(withoutColumns(fresh, { first: 'c-2' }, blocks)).toEqual([text('t')]);
    expect(insertBlocks(blocks, { first: 'c-2' }, fresh)).toEqual(insertBlocks(blocks, { first: 'c-2' }, [text('t')]));
    expect(withoutConditions({ ...text('a'), only: 'c1', unless: 'c2' })).toEqual(text('a'));
  });

  it('law: moving loses none and adds none, keeps columns whole, and back again is as it was', () => {
    fc.assert(
      fc.property(
        fc.constantFrom('a', 'b', 'c', 'l1', 'l2', 'nothing'),
        fc.constantFrom<1 | -1>(1, -1),
        fc.constantFrom('a', 'b', 'l1', 'l2'),
        (id, by, over) => {
          const moved = movedBlock(blocks, id, by);
          expect([...ids(moved)].sort()).toEqual([...ids(blocks)].sort());
          if (ids(moved).join() !== ids(blocks).join()) expect(movedBlock(moved, id, by === 1 ? -1 : 1)).toEqual(blocks);
          expect([...ids(movedTo(blocks, id, over))].sort()).toEqual([...ids(blocks)].sort());
        },
      ),
    );
    expect(ids(movedTo(blocks, 'b', 'a'))).toEqual(['b', 'a', 'c', 'l1', 'l2']);
  });
});
