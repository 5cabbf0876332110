import type { BlockKind, ProductSource } from '@/core/messages';

/** What each kind of block is called, and other words by which it is found. */
export const KIND_WORDS: { readonly [kind in BlockKind]: { readonly name: string; readonly says: string; readonly also: string } } = {
  text: { name: 'Text', says: 'Words, links and lists', also: 'paragraph list' },
  heading: { name: 'Heading', says: 'A line that stands out', also: 'title' },
  picture: { name: 'Picture', says: 'With what it shows, and a link', also: 'image photo' },
  button: { name: 'Button', says: 'One thing to do', also: 'link action' },
  cart: { name: 'Items of the cart', says: 'The very items left behind', also: 'basket products table' },
  products: { name: 'Products by a rule', says: 'Bought together, new, best sold…', also: 'suggestions recommendations' },
  offer: { name: 'Offer with its code', says: 'Terms, code, and until when', also: 'discount coupon voucher' },
  order: { name: 'The order and its parcel', says: 'Items, total, where the parcel is', also: 'receipt tracking' },
  note: { name: 'Personal note', says: 'A few words with a signature', also: 'signature person' },
  rating: { name: 'Question with one click', says: 'One to five, or good and bad', also: 'rating stars review survey' },
  feed: { name: 'Entries of a feed', says: 'The newest of the blog', also: 'rss blog news' },
  download: { name: 'File to fetch', says: 'For some days, and counted', also: 'download pdf attachment guide' },
  columns: { name: 'Columns', says: 'Two to four side by side', also: 'side grid' },
  divider: { name: 'Dividing line', says: 'A thin line', also: 'rule separator hr' },
  space: { name: 'Space', says: 'Room between two parts', also: 'gap margin' },
  social: { name: 'Links elsewhere', says: 'Where the store is to be found', also: 'social network' },
  html: { name: 'HTML', says: 'As it is, cleaned', also: 'code raw' },
};

/** Where products come from, in words. */
export const SOURCE_WORDS: { readonly [by in ProductSource['by']]: string } = {
  'bought-with': 'bought together with what this is about',
  'same-category': 'of the same category',
  category: 'of one category',
  newest: 'new in the range',
  'best-sold': 'best sold',
  viewed: 'looked at and not bought',
  cart: 'in the cart',
  restocked: 'there again',
  chosen: 'chosen by hand',
};

/** A new source of a kind. */
export function freshSource(by: ProductSource['by'], category: string): ProductSource {
  switch (by) {
    case 'category':
      return { by, category };
    case 'best-sold':
    case 'restocked':
      return { by, days: 90 };
    case 'chosen':
      return { by, skus: [] };
    default:
      return { by };
  }
}

/** How a placeholder is read: what it names, and what stands in for it. Null for one that is more than that. */
export function readValue(raw: string): { readonly path: string; readonly fallback: string | null } | null {
  const match = /^\{\{\s*([\p{L}\p{N}_.]+)\s*(?:\|\s*fallback\s*:\s*(?:"([^"]*)"|'([^']*)')\s*)?\}\}$/u.exec(raw.trim());
  return match ? { path: match[1]!, fallback: match[2] ?? match[3] ?? null } : null;
}

/** A placeholder as it is written. A fallback stands in quotes of the kind that it does not hold. */
export function writeValue(path: string, fallback: string | null): string {
  if (fallback === null || fallback === '') return `{{ ${path} }}`;
  const quote = fallback.includes('"') ? "'" : '"';
  return `{{ ${path} | fallback: ${quote}${fallback.replaceAll(quote, '’')}${quote} }}`;
}

/** What a placeholder is called: person.firstName is "first name". */
export const sayPath = (path: string): string =>
  path
    .replace(/^(person|event|store|offer)\./, '')
    .replace(/([\p{Ll}\d])(\p{Lu})/gu, (_, a: string, b: string) => `${a} ${b.toLowerCase()}`)
    .replace(/[._]/g, ' ');
