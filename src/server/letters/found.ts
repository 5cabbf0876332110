import type { Found, Shown } from '@/core/letters';
import { everyBlock, type Block, type Email, type ProductSource } from '@/core/messages';
import type { Value } from '@/core/rules';
import { DAY, type Instant } from '@/core/time';
import { newsShown } from '@/data/flows';
import {
  bestSold,
  inCategories,
  type FeedEntry,
  listFeeds,
  lookedAndBought,
  newestProducts,
  pairsOf,
  restockedSince,
} from '@/data/letters';
import { findProducts, type KeptProduct } from '@/data/products';
import type { Sql } from '@/data/db';

/** For whom something is looked for: whose letter it is and what it is about. */
export interface Recipient {
  /** null for somebody made up */
  readonly personId: string | null;
  readonly email: Email;
  readonly about: { readonly [name: string]: Value };
}

/** A product that a letter shows, with why. */
export type FoundProduct = Shown & { readonly sku: string; readonly why: string };
export interface FoundWithWhy extends Found {
  readonly products: { readonly [block: string]: readonly FoundProduct[] };
}

/** Nobody is shown what they have bought within so long. */
const BOUGHT_LATELY_MS = 90 * DAY;
/** Candidates that are looked at: some are out of stock or bought already. */
const CANDIDATES = 48;

interface Candidate {
  readonly sku: string;
  readonly why: string;
}

/** Finds what letters show that is not said in them: products by rule, entries of feeds; for all who get one at the same time. */
export async function findForLetters(sql: Sql, recipients: readonly Recipient[], now: Instant): Promise<FoundWithWhy[]> {
  const blocksOf = recipients.map(({ email }) => everyBlock(email.blocks));
  const asksForProducts = blocksOf.map((blocks) => blocks.some(({ kind }) => kind === 'products'));
  const news = await newsFor(
    sql,
    recipients.filter((_, index) => blocksOf[index]!.some((block) => block.kind === 'feed' && block.news)),
  );
  const feeds = blocksOf.some((blocks) => blocks.some(({ kind }) => kind === 'feed')) ? await feedsShown(sql) : {};
  const people = [...new Set(recipients.flatMap(({ personId }, index) => (asksForProducts[index] && personId ? [personId] : [])))];
  const known = people.length
    ? await lookedAndBought(sql, people, now - BOUGHT_LATELY_MS)
    : new Map<string, { viewed: string[]; bought: string[] }>();
  const shelf = shelfOf(sql, now);
  return Promise.all(
    recipients.map(async (one, index): Promise<FoundWithWhy> => {
      const own = news.get(one);
      const fed = { feeds, ...(own && { news: own }) };
      if (!asksForProducts[index]) return { products: {}, ...fed };
      const done = (one.personId && known.get(one.personId)) || { viewed: [], bought: [] };
      const products: Record<string, readonly FoundProduct[]> = {};
      const shown = new Set<string>();
      for (const block of blocksOf[index]!) {
        if (block.kind !== 'products') continue;
        const chosen = await choose(block, { ...done, about: one.about }, shelf, shown);
        for (const { sku } of chosen) shown.add(sku);
        products[block.id] = chosen;
      }
      return { products, ...fed };
    }),
  );
}

interface Known {
  readonly viewed: readonly string[];
  readonly bought: readonly string[];
  readonly about: { readonly [name: string]: Value };
}

/** What can be looked up of the range; each question is asked once for all letters of a batch. */
interface Shelf {
  readonly products: (skus: readonly string[]) => Promise<ReadonlyMap<string, KeptProduct>>;
  readonly ask: <T>(key: string, how: () => Promise<T>) => Promise<T>;
  readonly sql: Sql;
  readonly now: Instant;
}

function shelfOf(sql: Sql, now: Instant): Shelf {
  const asked = new Map<string, Promise<unknown>>();
  const ask = <T>(key: string, how: () => Promise<T>): Promise<T> => {
    let answer = asked.get(key) as Promise<T> | undefined;
    if (!answer) asked.set(key, (answer = how()));
    return answer;
  };
  return { sql, now, ask, products: (skus) => ask(`products ${JSON.stringify(skus)}`, () => findProducts(sql, skus)) };
}

/** The products of a block for one person: never what they bought lately, what is in the cart, what is out of stock, or what another block shows. */
async function choose(
  block: Extract<Block, { kind: 'products' }>,
  known: Known,
  shelf: Shelf,
  shown: ReadonlySet<string>,
): Promise<FoundProduct[]> {
  const inHand = new Set(skusIn(known.about));
  for (const from of [block.from, ...(block.otherwise ? [block.otherwise] : [])]) {
    const candidates = await candidatesOf(from, known, shelf);
    const products = await shelf.products(candidates.map(({ sku }) => sku));
    const chosen: FoundProduct[] = [];
    for (const { sku, why } of candidates) {
      const product = products.get(sku);
      if (!product || shown.has(sku) || (product.stock !== null && product.stock <= 0) || known.bought.includes(sku)) continue;
      if (from.by !== 'cart' && inHand.has(sku)) continue;
      if (chosen.push({ sku, why, ...shownOf(product) }) === block.most) break;
    }
    if (chosen.length) return chosen;
  }
  return [];
}

const shownOf = ({ name, priceMinor, compareMinor, currency, url, image }: KeptProduct): Shown => ({
  name,
  price: priceMinor === null ? null : { currency, minor: priceMinor },
  was: compareMinor !== null && priceMinor !== null && compareMinor > priceMinor ? { currency, minor: compareMinor } : null,
  url,
  image,
});

/** The articles that something is about: of a cart, an order, or a product that was looked at. */
function skusIn(about: { readonly [name: string]: Value }): string[] {
  const items = Array.isArray(about.items) ? about.items : [];
  const listed = items.flatMap((item) =>
    item !== null && typeof item === 'object' && !Array.isArray(item) && typeof item.sku === 'string' ? [item.sku] : [],
  );
  return [...new Set([...listed, ...(typeof about.sku === 'string' ? [about.sku] : [])])];
}

async function candidatesOf(from: ProductSource, known: Known, { sql, now, ask, products }: Shelf): Promise<Candidate[]> {
  // what it is about, else what they bought last, else what they looked at
  const seeds = [skusIn(known.about), known.bought.slice(0, 5), known.viewed.slice(0, 3)].find((skus) => skus.length) ?? [];
  switch (from.by) {
    case 'chosen':
      return from.skus.map((sku) => ({ sku, why: 'chosen by hand' }));
    case 'cart':
      return skusIn(known.about).map((sku) => ({ sku, why: 'in the cart' }));
    case 'viewed':
      return known.viewed.filter((sku) => !known.bought.includes(sku)).map((sku) => ({ sku, why: 'looked at and not bought' }));
    case 'newest':
      return (await ask('newest', () => newestProducts(sql, CANDIDATES))).map(({ sku }) => ({ sku, why: 'new in the range' }));
    case 'best-sold':
      return (await ask(`best ${from.days}`, () => bestSold(sql, now - from.days * DAY, CANDIDATES))).map(({ sku, orders }) => ({
        sku,
        why: `in ${orders} orders of the last ${from.days} days`,
      }));
    case 'restocked':
      return (await ask(`restocked ${from.days}`, () => restockedSince(sql, now - from.days * DAY, CANDIDATES))).map(({ sku }) => ({
        sku,
        why: `there again within the last ${from.days} days`,
      }));
    case 'category':
      return (await ask(`category ${from.category}`, () => inCategories(sql, [from.category], now, CANDIDATES))).map(({ sku }) => ({
        sku,
        why: `in ${from.category}`,
      }));
    case 'same-category': {
      const kept = await products(seeds);
      const categories = [...new Set([...kept.values()].flatMap((one) => one.categories))].sort();
      if (!categories.length) return [];
      const found = await ask(`categories ${JSON.stringify(categories)}`, () => inCategories(sql, categories, now, CANDIDATES));
      return found.map(({ sku, category }) => ({ sku, why: `in ${category}, like what it is about` }));
    }
    case 'bought-with': {
      if (!seeds.length) return [];
      const pairs = await ask(`pairs ${JSON.stringify(seeds)}`, () => pairsOf(sql, seeds, CANDIDATES));
      const names = await products([...new Set(pairs.map(({ sku }) => sku))]);
      const percent = (share: number) => share.toLocaleString('en', { style: 'percent', maximumSignificantDigits: 2 });
      return pairs.map(({ sku, other, together, orders, total }) => ({
        sku: other,
        why:
          `in ${together} of the ${orders} orders with ${names.get(sku)?.name ?? sku} ` +
          `(confidence ${percent(together / orders)}, support ${percent(together / total)})`,
      }));
    }
  }
}

/** The newest entries of every feed, as letters show them. */
async function feedsShown(sql: Sql): Promise<{ [feed: string]: readonly Shown[] }> {
  const feeds = await listFeeds(sql);
  return Object.fromEntries(feeds.map(({ key, entries }) => [key, entries.map(entryShown)]));
}

const entryShown = ({ name, words, url, image }: FeedEntry): Shown => ({ name, words, url, image });

/** What was new in a feed at the occasion that each letter is about, where that was looked at. */
async function newsFor(sql: Sql, recipients: readonly Recipient[]): Promise<Map<Recipient, { [feed: string]: readonly Shown[] }>> {
  const asked = recipients.flatMap((one) => {
    const { to, occasion } = one.about;
    return typeof to === 'string' && typeof occasion === 'string' ? [{ one, flow: to, occasion }] : [];
  });
  if (!asked.length) return new Map();
  const rows = await newsShown<FeedEntry>(sql, asked);
  return new Map(
    asked.flatMap(({ one, flow, occasion }) => {
      const row = rows.get(`${flow}/${occasion}`);
      return row ? [[one, { [row.feed]: row.entries.map(entryShown) }] as const] : [];
    }),
  );
}
