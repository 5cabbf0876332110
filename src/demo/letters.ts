import type { Block, Brand, Email } from '../core/messages';
import { plainBrand } from '../core/messages';

/** How Quillfin's letters look. */
export const demoBrand = (baseUrl: string): Brand => ({
  ...plainBrand('Quillfin'),
  footer: 'Quillfin is a shop for freshwater tanks, plants and what lives in them.',
  social: [
    { name: 'The blog', url: `${baseUrl}/outside/blog` },
    { name: 'The shop', url: `${baseUrl}/outside/shop` },
  ],
});

const letter = (subject: string, preview: string, blocks: Block[], kind: Email['kind'] = 'marketing'): Email => ({
  schema: 'viatic.message/1',
  channel: 'email',
  kind,
  subject,
  preview,
  blocks,
});

/** What Quillfin keeps in its library. */
export const demoLibrary = (
  baseUrl: string,
): readonly {
  readonly key: string;
  readonly name: string;
  readonly tags: readonly string[];
  readonly message?: Email;
  readonly blocks?: Block[];
}[] => [
  {
    key: 'blog-letter',
    name: 'Letter with the newest of the blog',
    tags: ['blog', 'monthly'],
    message: letter('What we wrote lately, {{ person.firstName | fallback: "keeper" }}', 'Three reads for a quiet evening', [
      { id: 'b1', kind: 'heading', text: 'New on the blog', level: 1 },
      {
        id: 'b2',
        kind: 'text',
        text: 'Hello {{ person.firstName | fallback: "keeper" }},\n\nhere is what we wrote since the last letter.',
      },
      { id: 'b3', kind: 'feed', feed: 'quillfin-blog', most: 3 },
      { id: 'b4', kind: 'divider' },
      { id: 'b5', kind: 'heading', text: 'Others took these home', level: 2 },
      { id: 'b6', kind: 'products', from: { by: 'best-sold', days: 90 }, most: 3, layout: 'cards' },
      { id: 'b7', kind: 'button', label: 'To the shop', url: `${baseUrl}/outside/shop` },
    ]),
  },
  {
    key: 'goes-with-it',
    name: 'What goes with it',
    tags: ['after the order'],
    message: letter('It goes well with what you have', 'Others took these together', [
      {
        id: 'b1',
        kind: 'text',
        text: 'Hello {{ person.firstName | fallback: "keeper" }},\n\nyour order is on its shelf by now. **Others who bought the same** took these, too:',
      },
      { id: 'b2', kind: 'products', from: { by: 'bought-with' }, otherwise: { by: 'best-sold', days: 90 }, most: 3, layout: 'cards' },
      {
        id: 'b3',
        kind: 'note',
        text: 'If you are not sure what fits your tank, answer this letter. I read every answer.',
        name: 'Marla Quist',
        role: 'keeps seven tanks at home',
      },
      { id: 'b4', kind: 'rating', question: 'How do you like what you bought?', scale: 'five' },
    ]),
  },
  {
    key: 'two-columns',
    name: 'Two sides: plants and food',
    tags: ['seasonal'],
    message: letter('Plants to the left, food to the right', 'A small tour of the shop', [
      { id: 'b1', kind: 'heading', text: 'What the season brings', level: 1 },
      {
        id: 'b2',
        kind: 'columns',
        columns: [
          {
            id: 'b2-1',
            blocks: [
              { id: 'b2-1-1', kind: 'heading', text: 'Plants', level: 3 },
              { id: 'b2-1-2', kind: 'text', text: 'Cut back, divide, and plant anew: spring begins in the water, too.' },
              { id: 'b2-1-3', kind: 'button', label: 'See the plants', url: `${baseUrl}/outside/shop` },
            ],
          },
          {
            id: 'b2-2',
            blocks: [
              { id: 'b2-2-1', kind: 'heading', text: 'Food', level: 3 },
              { id: 'b2-2-2', kind: 'text', text: 'Less is more: a day off in the week keeps water and fish healthy.' },
              { id: 'b2-2-3', kind: 'button', label: 'See the food', url: `${baseUrl}/outside/shop` },
            ],
          },
        ],
      },
      { id: 'b3', kind: 'social', align: 'center' },
    ]),
  },
  {
    key: 'marla-signs',
    name: 'Marla signs',
    tags: ['signature'],
    blocks: [{ id: 'b1', kind: 'note', text: 'Write to me whenever something is unclear.', name: 'Marla Quist', role: 'Quillfin' }],
  },
];
