import { describe, expect, it } from 'vitest';
import { BLOCK_KINDS, blockSchema, freeBlockId, freshBlock, type Block, type Email } from './message';
import { renderMessage } from './render';

const links = {
  unsubscribeUrl: 'https://shop.example/leave',
  pixelUrl: null,
  track: (url: string) => `https://t.example/?to=${encodeURIComponent(url)}`,
};
const about = { person: { firstName: 'Ada' }, event: {}, store: { name: 'Quillfin', address: 'Sluiskade 14' } };
const letter = (blocks: Block[]): Email => ({
  schema: 'viatic.message/1',
  channel: 'email',
  kind: 'service',
  subject: 'S',
  preview: '',
  blocks,
});
const rendered = (...blocks: Block[]) => renderMessage(letter(blocks), about, links);

describe('what a letter is made of', () => {
  it('each kind of block is one of the schema as soon as it is put in, under an id that is free', () => {
    const blocks: Block[] = [];
    for (const kind of BLOCK_KINDS) {
      blocks.push(freshBlock(kind, freeBlockId(blocks)));
      expect(blockSchema.safeParse(blocks.at(-1)).success, kind).toBe(true);
    }
    expect(new Set(blocks.map(({ id }) => id)).size).toBe(BLOCK_KINDS.length);
  });

  it('a heading is one, in HTML and in text', () => {
    const { html, text } = rendered({ id: 'h', kind: 'heading', text: 'For {{ person.firstName }}' });
    expect(html).toMatch(/<h2 [^>]*>For Ada<\/h2>/);
    expect(text).toContain('For Ada\n-------');
  });

  it('a picture shows, says what it shows, and leads where it should by a counted link; without an address it is left out', () => {
    const picture = {
      id: 'p',
      kind: 'picture',
      url: 'https://shop.example/tank.png',
      alt: 'A tank "60"',
      link: 'https://shop.example/t',
    } as const;
    const { html, text } = rendered(picture);
    expect(html).toContain('src="https://shop.example/tank.png"');
    expect(html).toContain('alt="A tank &quot;60&quot;"');
    expect(html).toContain(`<a href="https://t.example/?to=${encodeURIComponent('https://shop.example/t')}"><img`);
    expect(text).toContain('[A tank "60"] https://t.example/?to=');
    expect(rendered({ ...picture, url: 'javascript:alert(1)' }).html).not.toContain('<img');
    const { link: _, ...plain } = picture;
    expect(rendered(plain).html).not.toContain('<a href="https://t.example');
  });

  it('a dividing line stands in both', () => {
    const { html, text } = rendered({ id: 'd', kind: 'divider' });
    expect(html).toContain('<hr ');
    expect(text).toMatch(/^---\n/);
  });
});
