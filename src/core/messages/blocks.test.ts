import { describe, expect, it } from 'vitest';
import { BLOCK_KINDS, blockSchema, doubled, everyBlock, freeBlockId, freshBlock, mapBlocks, type Block } from './block';
import { mapTexts, messageSchema, textsOf, type Email } from './message';

const every = (): Block[] => {
  const blocks: Block[] = [];
  for (const kind of BLOCK_KINDS) blocks.push(freshBlock(kind, freeBlockId(blocks)));
  return blocks;
};
const letter = (blocks: Block[], more: Partial<Email> = {}): Email => ({
  schema: 'viatic.message/1',
  channel: 'email',
  kind: 'service',
  subject: 'S',
  preview: '',
  blocks,
  ...more,
});

describe('what a letter is made of', () => {
  it('each kind of block is one of the schema as soon as it is put in, under an id that is free', () => {
    for (const block of every()) expect(blockSchema.safeParse(block).success, block.kind).toBe(true);
    const ids = everyBlock(every()).map(({ id }) => id);
    expect(new Set(ids).size).toBe(ids.length);
  });

  it('what is doubled has ids of its own, within columns too', () => {
    for (const block of every()) {
      const blocks = [...every(), doubled(block, every())];
      const ids = everyBlock(blocks).map(({ id }) => id);
      expect(new Set(ids).size).toBe(ids.length);
    }
  });

  it('a block within columns is reached like any other', () => {
    const columns = freshBlock('columns', 'c');
    const changed = mapBlocks([columns], (block) => (block.kind === 'text' ? { ...block, text: 'there' } : block));
    expect(textsOf(letter(changed))).toEqual(['S', '', 'there', 'there']);
    expect(everyBlock(mapBlocks([columns], (block) => (block.kind === 'text' ? null : block)))).toHaveLength(1);
  });

  it('other words are put in the place of some in every text, and nowhere else', () => {
    const before = letter([...every(), { id: 'old', kind: 'button', label: 'old', url: 'https://shop.example/old' }], {
      subject: 'old and old',
    });
    const after = mapTexts(before, (text) => text.replaceAll('old', 'new')) as Email;
    expect(after.subject).toBe('new and new');
    expect(after.blocks.at(-1)).toEqual({ id: 'old', kind: 'button', label: 'new', url: 'https://shop.example/new' });
    expect(mapTexts(before, (text) => text)).toEqual(before);
  });

  it('a block asks only for conditions that its message has', () => {
    const asking = letter([{ id: 'b1', kind: 'text', text: 'x', only: 'c1' }]);
    expect(messageSchema.safeParse(asking).error!.issues[0]).toMatchObject({ path: ['blocks', 0, 'only'] });
    const conditions = [{ id: 'c1', name: 'Known', rule: { test: 'attribute' as const, name: 'firstName', op: 'known' as const } }];
    expect(messageSchema.safeParse({ ...asking, conditions }).success).toBe(true);
  });
});
