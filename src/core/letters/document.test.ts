import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { plainBrand } from '../messages';
import { docOf, markdownOf, type DocMark, type DocNode } from './document';
import { lookOf } from './look';
import { richOf } from './rich';

const look = lookOf(plainBrand('Shop'));
const shows = (text: string) => {
  const { template, tags } = richOf(text, look);
  return template.replace(/\uE000([AT])(\d+)\uE001/g, (_, kind: string, n: string) => (kind === 'T' ? tags[Number(n)]! : '<a>'));
};

const word = fc.stringMatching(/^[A-Za-z0-9é*_~#>.!-]{1,8}$/);
const words = fc.array(word, { minLength: 1, maxLength: 4 }).map((list) => list.join(' '));
const marks = fc.subarray<DocMark>([
  { type: 'bold' },
  { type: 'italic' },
  { type: 'strike' },
  { type: 'link', attrs: { href: 'https://shop.example/a?b=1' } },
]);
const piece: fc.Arbitrary<DocNode> = fc.oneof(
  {
    weight: 4,
    arbitrary: fc.tuple(words, marks).map(([text, on]) => ({ type: 'text', text: `${text}`, ...(on.length && { marks: on }) })),
  },
  { weight: 1, arbitrary: fc.constant({ type: 'value', attrs: { raw: '{{ person.firstName | fallback: "you" }}' } }) },
);
/** Pieces with a space between them: how markup reads that is glued to other markup, CommonMark leaves to its rules of flanking. */
const line = fc
  .array(piece, { minLength: 1, maxLength: 4 })
  .map((list) => list.flatMap((node, n): DocNode[] => (n ? [{ type: 'text', text: ' ' }, node] : [node])));
const paragraph = line.map((content): DocNode => ({ type: 'paragraph', content }));
const item = line.map((content): DocNode => ({ type: 'listItem', content: [{ type: 'paragraph', content }] }));
const block: fc.Arbitrary<DocNode> = fc.oneof(
  { weight: 3, arbitrary: paragraph },
  fc.tuple(fc.integer({ min: 1, max: 3 }), line).map(([level, content]) => ({ type: 'heading', attrs: { level }, content })),
  fc.array(item, { minLength: 1, maxLength: 3 }).map((content) => ({ type: 'bulletList', content })),
  fc.array(item, { minLength: 1, maxLength: 3 }).map((content) => ({ type: 'orderedList', attrs: { start: 1 }, content })),
);

/** A document as one reads it: neighbours that look alike are one, an empty text is none. */
function read(node: DocNode): unknown {
  const content = (node.content ?? [])
    .map(read)
    .flatMap((one) => ((one as DocNode).type === 'text' && (one as DocNode).text === '' ? [] : [one])) as DocNode[];
  const names = (of: DocNode) => JSON.stringify([...(of.marks ?? [])].map(({ type }) => type).sort());
  const merged: DocNode[] = [];
  for (const one of content) {
    const before = merged.at(-1);
    if (before?.type === 'text' && one.type === 'text' && names(before) === names(one))
      merged[merged.length - 1] = { ...before, text: before.text! + one.text! };
    else merged.push(one);
  }
  return {
    type: node.type,
    ...(node.text !== undefined && { text: node.text, marks: [...(node.marks ?? [])].map(({ type }) => type).sort() }),
    content: merged,
    raw: node.attrs?.raw,
  };
}
const letters = (node: DocNode): string =>
  (node.text ?? '') + String(node.attrs?.raw ?? '') + (node.content ?? []).map(letters).join(node.type === 'doc' ? '\n' : '');

describe('a text between its markup and an editor', () => {
  it('is the same text again, with every letter and placeholder, whatever signs are in it', () => {
    fc.assert(
      fc.property(fc.array(block, { minLength: 1, maxLength: 4 }), (content) => {
        // two lists that follow each other are one in the markup
        const apart = content.filter((one, n) => !n || one.type === 'paragraph' || one.type !== content[n - 1]!.type);
        const doc: DocNode = { type: 'doc', content: apart };
        const back = docOf(markdownOf(doc));
        const squeezed = (node: DocNode) => letters(node).replace(/\s+/g, '');
        expect(squeezed(back)).toBe(squeezed(doc));
        expect(back.content!.map(({ type }) => type)).toEqual(apart.map(({ type }) => type));
      }),
      { numRuns: 600 },
    );
  });

  it('shows the same when it is written out anew', () => {
    for (const text of [
      'Hello {{ person.firstName | fallback: "there" }},\n\nyour **cart** is _still_ here.',
      '# Big\n\n- one\n- two **bold**\n\n1. first\n2. second',
      'Line one\nline two with [words]({{ event.checkoutUrl | with: "code", offer.code }}) after.',
      '{% if holds.c1 %}For some{% else %}For others{% endif %} and 3 \\* 4',
      '> Quoted\n\nplain',
    ]) {
      expect(shows(markdownOf(docOf(text)))).toBe(shows(text));
      expect(markdownOf(docOf(markdownOf(docOf(text))))).toBe(markdownOf(docOf(text)));
    }
  });

  it('a placeholder is one thing, and keeps how it was written', () => {
    const doc = docOf('Hi {{ person.firstName | fallback: "*you*" }}!');
    expect(doc.content![0]!.content).toEqual([
      { type: 'text', text: 'Hi ' },
      { type: 'value', attrs: { raw: '{{ person.firstName | fallback: "*you*" }}' } },
      { type: 'text', text: '!' },
    ]);
  });

  it('markup is read as bold, italic, links and lists, and nothing else', () => {
    expect(read(docOf('a **b** *c* ~~d~~ `e` <b>f</b>'))).toMatchObject({
      content: [
        {
          content: [
            { text: 'a ', marks: [] },
            { text: 'b', marks: ['bold'] },
            { text: ' ', marks: [] },
            { text: 'c', marks: ['italic'] },
            { text: ' ', marks: [] },
            { text: 'd', marks: ['strike'] },
            { text: ' `e` <b>f</b>', marks: [] },
          ],
        },
      ],
    });
  });
});
