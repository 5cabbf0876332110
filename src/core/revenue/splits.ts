/** By what takings and credit are split. */
export const SPLITS = ['channel', 'offer', 'source', 'first', 'product', 'category', 'segment', 'arm', 'link'] as const;
export type Split = (typeof SPLITS)[number];

/** Of these only the credit is split: they take nothing by themselves. */
const OF_CREDIT: ReadonlySet<string> = new Set<Split>(['channel', 'arm', 'link']);
export const isOfCredit = (split: string): boolean => OF_CREDIT.has(split);

/** What each way of splitting is called, the usual ones first. */
export const SPLIT_WORDS: { readonly [split in 'flow' | Split]: string } = {
  flow: 'flow and message',
  channel: 'channel',
  offer: 'offer',
  first: 'first and later orders',
  product: 'product',
  category: 'category',
  source: 'source',
  segment: 'segment',
  arm: 'arm of a test',
  link: 'link',
};

/** How coarse takings over time are. */
export const GRAINS = ['day', 'week', 'month'] as const;
export type Grain = (typeof GRAINS)[number];
