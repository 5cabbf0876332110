import { describe, expect, it } from 'vitest';
import { BLOCK_KINDS, blockSchema, doubled, everyBlock, freeBlockId, freshBlock, mapBlocks, type Block } from './block';
import { checkMessage } from './check';
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

describe('what is to be mended about a letter', () => {
  const found = (message: Email, startedBy: string[] = []) =>
    checkMessage(message, { startedBy }).map(({ level, code, block, field }) => [level, code, block ?? field ?? '']);
  const sound: Email = { ...letter([{ id: 'b1', kind: 'text', text: 'Hello' }]), kind: 'marketing', subject: 'A word from us' };

  it('nothing, where it is sound', () => expect(found(sound)).toEqual([]));

  it.each<[string, Partial<Email>, string[]]>([
    ['no subject', { subject: ' ' }, ['stops', 'no-subject', 'subject']],
    ['a subject that shouts', { subject: 'LAST CHANCE NOW' }, ['warns', 'subject-shouts', 'subject']],
    ['a subject that is too long', { subject: 'word '.repeat(14).trim() }, ['warns', 'subject-long', 'subject']],
    ['a placeholder that cannot be read', { preview: '{{ person' }, ['stops', 'placeholder-unreadable', 'preview']],
    [
      'a button that leads nowhere',
      { blocks: [{ id: 'b1', kind: 'button', label: 'Go', url: '' }] },
      ['stops', 'link-leads-nowhere', 'b1'],
    ],
    ['a link that leads nowhere', { blocks: [{ id: 'b1', kind: 'text', text: '[go](shop)' }] }, ['stops', 'link-leads-nowhere', 'b1']],
    [
      'a picture without words',
      { blocks: [{ id: 'b1', kind: 'picture', url: 'https://shop.example/p.png', alt: '' }] },
      ['warns', 'picture-without-words', 'b1'],
    ],
    ['a feed that is not named', { blocks: [{ id: 'b1', kind: 'feed', feed: '', most: 3 }] }, ['stops', 'no-feed', 'b1']],
    ['a note signed by nobody', { blocks: [{ id: 'b1', kind: 'note', text: 'Hi', name: '' }] }, ['warns', 'note-without-name', 'b1']],
    [
      'no product chosen',
      { blocks: [{ id: 'b1', kind: 'products', from: { by: 'chosen', skus: [] }, most: 3 }] },
      ['stops', 'no-products', 'b1'],
    ],
  ])('%s, at its place', (_, change, finding) => expect(found({ ...sound, ...change })).toContainEqual(finding));

  it('a cart in a flow without carts, an order in one without orders; placeholders in a subject do not shout', () => {
    expect(found({ ...sound, blocks: [{ id: 'b1', kind: 'cart' }] }, ['order.placed'])).toEqual([['warns', 'cart-without-cart', 'b1']]);
    expect(found({ ...sound, blocks: [{ id: 'b1', kind: 'order' }] }, ['cart.updated'])).toEqual([['warns', 'order-without-order', 'b1']]);
    expect(found({ ...sound, subject: '{{ person.firstName | fallback: "YOU ALL THERE" }}, hello' })).toEqual([]);
  });
});
