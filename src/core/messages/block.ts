import * as z from 'zod';

const text = (max: number) => z.string().max(max);
const address = text(2000);
/** An id of something in a message: of a block, or of a condition. */
export const partId = z.string().regex(/^[a-z0-9-]{1,40}$/, 'is not an id; use a-z, 0-9 and -');

/** Who sees a block: those of whom a condition of the message holds, or those of whom it does not. */
const shown = { only: partId.optional(), unless: partId.optional() };
const align = z.enum(['left', 'center', 'right']).optional();

/** Where the products of a block come from. What somebody has bought lately, and what is out of stock, is never among them. */
export const productSourceSchema = z.discriminatedUnion('by', [
  /** what others bought together with what this is about: computed from orders */
  z.strictObject({ by: z.literal('bought-with') }),
  z.strictObject({ by: z.literal('same-category') }),
  z.strictObject({ by: z.literal('category'), category: text(120).min(1, 'must not be empty') }),
  z.strictObject({ by: z.literal('newest') }),
  z.strictObject({ by: z.literal('best-sold'), days: z.int().min(1).max(730) }),
  z.strictObject({ by: z.literal('viewed') }),
  z.strictObject({ by: z.literal('cart') }),
  z.strictObject({ by: z.literal('restocked'), days: z.int().min(1).max(730) }),
  z.strictObject({ by: z.literal('chosen'), skus: z.array(text(120).min(1)).max(24) }),
]);
export type ProductSource = z.infer<typeof productSourceSchema>;

const leaf = {
  text: z.strictObject({ id: partId, kind: z.literal('text'), ...shown, text: text(10_000), align }),
  heading: z.strictObject({
    id: partId,
    kind: z.literal('heading'),
    ...shown,
    text: text(300),
    level: z.int().min(1).max(3).optional(),
    align,
  }),
  /** A picture: its address, what it shows for who cannot see it, where it leads, and how wide it is, as a share of the room in %. */
  picture: z.strictObject({
    id: partId,
    kind: z.literal('picture'),
    ...shown,
    url: address,
    alt: text(300),
    link: address.optional(),
    width: z.int().min(10).max(100).optional(),
    align,
  }),
  button: z.strictObject({
    id: partId,
    kind: z.literal('button'),
    ...shown,
    label: text(120),
    url: address,
    align,
    full: z.boolean().optional(),
  }),
  /** A file of the store to fetch, by its key: for so many days after the letter went out, or for good; how often it is fetched is counted. */
  download: z.strictObject({
    id: partId,
    kind: z.literal('download'),
    ...shown,
    file: z.string().regex(/^[A-Za-z0-9_-]{0,40}$/, 'is not the key of a file'),
    label: text(120),
    days: z.int().min(1).max(730).optional(),
  }),
  divider: z.strictObject({ id: partId, kind: z.literal('divider'), ...shown }),
  /** Room between two blocks, in pixels. */
  space: z.strictObject({ id: partId, kind: z.literal('space'), ...shown, height: z.int().min(4).max(120) }),
  /** The items of the cart, as a table, as cards side by side, or the dearest of them as one large picture. */
  cart: z.strictObject({ id: partId, kind: z.literal('cart'), ...shown, layout: z.enum(['table', 'cards', 'large']).optional() }),
  /** The order that this is about: its number, items, total, and where its parcel is. */
  order: z.strictObject({ id: partId, kind: z.literal('order'), ...shown }),
  products: z.strictObject({
    id: partId,
    kind: z.literal('products'),
    ...shown,
    from: productSourceSchema,
    /** what is shown where the source finds nothing; nothing where it is left out */
    otherwise: productSourceSchema.optional(),
    most: z.int().min(1).max(12),
    layout: z.enum(['table', 'cards', 'large']).optional(),
  }),
  offer: z.strictObject({ id: partId, kind: z.literal('offer'), ...shown, text: text(500) }),
  /** A note in somebody's own hand, with their name, what they do, and their picture. */
  note: z.strictObject({
    id: partId,
    kind: z.literal('note'),
    ...shown,
    text: text(5000),
    name: text(120),
    role: text(120).optional(),
    picture: address.optional(),
  }),
  /** The newest entries of a feed that the store reads. */
  feed: z.strictObject({
    id: partId,
    kind: z.literal('feed'),
    ...shown,
    feed: text(60),
    most: z.int().min(1).max(12),
    /** not the newest, but those that are new since the last time that what sends the letter told of the feed */
    news: z.literal(true).optional(),
  }),
  /** A question that is answered by one click: 1 to 5, or by good and bad. */
  rating: z.strictObject({ id: partId, kind: z.literal('rating'), ...shown, question: text(300), scale: z.enum(['five', 'two']) }),
  /** Where the store is to be found elsewhere: the links of its brand. */
  social: z.strictObject({ id: partId, kind: z.literal('social'), ...shown, align }),
  /** HTML as it is, cleaned of what mail programs do not run anyway. */
  html: z.strictObject({ id: partId, kind: z.literal('html'), ...shown, html: text(20_000) }),
} as const;

const leafSchema = z.discriminatedUnion('kind', [
  leaf.text,
  leaf.heading,
  leaf.picture,
  leaf.button,
  leaf.download,
  leaf.divider,
  leaf.space,
  leaf.cart,
  leaf.order,
  leaf.products,
  leaf.offer,
  leaf.note,
  leaf.feed,
  leaf.rating,
  leaf.social,
  leaf.html,
]);
/** A block that stands in a column or in the letter itself. */
export type Leaf = z.infer<typeof leafSchema>;

const columnsSchema = z.strictObject({
  id: partId,
  kind: z.literal('columns'),
  ...shown,
  columns: z
    .array(z.strictObject({ id: partId, ...shown, blocks: z.array(leafSchema).max(20) }))
    .min(2)
    .max(4),
});
/** Two to four columns side by side; on a narrow screen they stand below one another. */
export type Columns = z.infer<typeof columnsSchema>;
export type Column = Columns['columns'][number];

export const blockSchema = z.discriminatedUnion('kind', [...leafSchema.options, columnsSchema]);
/** One part of a letter. */
export type Block = z.infer<typeof blockSchema>;
export type BlockKind = Block['kind'];

/** The kinds of blocks, as they are offered. */
export const BLOCK_KINDS = [
  'text',
  'heading',
  'picture',
  'button',
  'cart',
  'products',
  'offer',
  'order',
  'note',
  'rating',
  'feed',
  'download',
  'columns',
  'divider',
  'space',
  'social',
  'html',
] as const satisfies readonly BlockKind[];

/** A new block of a kind. */
export function freshBlock(kind: BlockKind, id: string): Block {
  switch (kind) {
    case 'text':
    case 'heading':
      return { id, kind, text: '' };
    case 'offer':
      return { id, kind, text: '{{ offer.terms }} with {{ offer.code }}, until {{ offer.expires }}' };
    case 'picture':
      return { id, kind, url: '', alt: '' };
    case 'button':
      return { id, kind, label: 'Open', url: '' };
    case 'download':
      return { id, kind, file: '', label: '', days: 30 };
    case 'space':
      return { id, kind, height: 24 };
    case 'products':
      return { id, kind, from: { by: 'best-sold', days: 90 }, most: 3, layout: 'cards' };
    case 'note':
      return { id, kind, text: '', name: '' };
    case 'feed':
      return { id, kind, feed: '', most: 3 };
    case 'rating':
      return { id, kind, question: 'How do you like it?', scale: 'five' };
    case 'html':
      return { id, kind, html: '' };
    case 'columns':
      return {
        id,
        kind,
        columns: [1, 2].map((n) => ({ id: `${id}-${n}`, blocks: [{ id: `${id}-${n}-1`, kind: 'text', text: '' }] })),
      };
    case 'divider':
    case 'cart':
    case 'order':
    case 'social':
      return { id, kind };
  }
}

/** Every block of a letter in reading order, those within columns too. */
export const everyBlock = (blocks: readonly Block[]): Block[] =>
  blocks.flatMap((block): Block[] => (block.kind === 'columns' ? [block, ...block.columns.flatMap((column) => column.blocks)] : [block]));

/** All ids that are taken in a letter. */
const idsOf = (blocks: readonly Block[]): Set<string> =>
  new Set(
    blocks.flatMap((block) =>
      block.kind === 'columns'
        ? [block.id, ...block.columns.flatMap(({ id, blocks: own }) => [id, ...own.map((one) => one.id)])]
        : [block.id],
    ),
  );

/** An id that no block of a message has yet. */
export function freeBlockId(blocks: readonly Block[]): string {
  const taken = idsOf(blocks);
  for (let n = taken.size + 1; ; n++) if (!taken.has(`b${n}`)) return `b${n}`;
}

/** A block with ids of its own, beside those of a letter. */
export function doubled(block: Block, blocks: readonly Block[]): Block {
  const id = freeBlockId(blocks);
  if (block.kind !== 'columns') return { ...block, id };
  return {
    ...block,
    id,
    columns: block.columns.map((column, n) => ({
      ...column,
      id: `${id}-${n + 1}`,
      blocks: column.blocks.map((one, m) => ({ ...one, id: `${id}-${n + 1}-${m + 1}` })),
    })),
  };
}

/** All texts of a block in which placeholders may stand, by the field they stand in; columns have none of their own. */
export function fieldsOfBlock(block: Block): { readonly [field: string]: string } {
  switch (block.kind) {
    case 'text':
    case 'heading':
    case 'offer':
      return { text: block.text };
    case 'button':
      return { label: block.label, url: block.url };
    case 'download':
      return { label: block.label };
    case 'picture':
      return { alt: block.alt, url: block.url, link: block.link ?? '' };
    case 'note':
      return { text: block.text, name: block.name, role: block.role ?? '', picture: block.picture ?? '' };
    case 'rating':
      return { question: block.question };
    case 'html':
      return { html: block.html };
    default:
      return {};
  }
}

/** {@link fieldsOfBlock}, as a list, with those of blocks in columns. */
export const textsOfBlock = (block: Block): string[] => everyBlock([block]).flatMap((one) => Object.values(fieldsOfBlock(one)));

/** Blocks with each of them changed, those in columns too; what becomes null is taken out. */
export const mapBlocks = (blocks: readonly Block[], change: (block: Block) => Block | null): Block[] =>
  blocks.flatMap((block): Block[] => {
    const changed = change(block);
    if (!changed) return [];
    if (changed.kind !== 'columns') return [changed];
    return [
      {
        ...changed,
        columns: changed.columns.map((column) => ({
          ...column,
          blocks: column.blocks.flatMap((one) => (change(one) as Leaf | null) ?? []),
        })),
      },
    ];
  });
