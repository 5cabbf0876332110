import { Parser } from 'htmlparser2';
import { productFeedInput, type ProductFeedView } from '@/core/api';
import { brandKey } from '@/core/messages';
import { guessMapping, productOfRecord, type ProductInput, type ProductMapping, type ProductRecord } from '@/core/products';
import { safeUrl } from '@/core/text';
import { inTransaction, type Db } from '@/data/db';
import {
  deleteProductFeed,
  findProductFeed,
  listProductFeeds,
  saveProductFeed,
  settleProductFeed,
  takeDueProductFeed,
  type ProductFeedRow,
} from '@/data/products';
import { readStore, recordAct } from '@/data/store';
import { linesOf, notFound, Problem, problemsOf } from '../http';
import { fetchText } from '../outgoing';
import { storeProducts } from './products';

const viewOf = (row: ProductFeedRow): ProductFeedView => ({
  key: row.key,
  name: row.name,
  url: row.url,
  everyMinutes: row.every_minutes,
  mapping: row.mapping,
  fields: row.fields,
  readAt: row.read_at?.toISOString() ?? null,
  stored: row.stored,
  skipped: row.skipped,
  problem: row.problem,
});

export const productFeeds = async (db: Db): Promise<{ feeds: ProductFeedView[] }> => ({ feeds: (await listProductFeeds(db)).map(viewOf) });

/** Stores where products are read, and reads them at once; what could not be read is told with it. */
export async function putProductFeed(db: Db, key: string, body: unknown, inside: readonly string[], by: string): Promise<ProductFeedView> {
  if (!brandKey.safeParse(key).success)
    throw new Problem(400, 'Not a key', "A feed's key is made of a-z, 0-9 and -, at most 60 characters.");
  const parsed = productFeedInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a feed', 'Nothing was stored.', problemsOf(parsed.error));
  const url = safeUrl(parsed.data.url.trim());
  if (!url)
    throw new Problem(422, 'Not a feed', 'Nothing was stored.', [
      { field: 'url', wrong: 'is not an address', right: 'one that begins with https://' },
    ]);
  const { name, everyMinutes, mapping } = parsed.data;
  const chosen = Object.fromEntries(Object.entries(mapping ?? {}).filter(([, field]) => field.trim() !== ''));
  await inTransaction(db, async (trx) => {
    await saveProductFeed(trx, { key, name, url, every_minutes: everyMinutes ?? 360, mapping: chosen });
    await recordAct(trx, (await readStore(trx)).now, by, 'product-feed.stored', { key, url });
  });
  await readOne(db, (await findProductFeed(db, key))!, inside);
  return viewOf((await findProductFeed(db, key))!);
}

export async function removeProductFeed(db: Db, key: string, by: string): Promise<void> {
  await inTransaction(db, async (trx) => {
    if (!(await deleteProductFeed(trx, key))) throw notFound(`feed "${key.slice(0, 60)}"`);
    await recordAct(trx, (await readStore(trx)).now, by, 'product-feed.deleted', { key });
  });
}

const AT_ONCE = 10;

/** Reads the feeds of products that are due. */
export async function readProductFeeds(db: Db, inside: readonly string[]): Promise<void> {
  for (let read = 0; read < AT_ONCE; read++) {
    const feed = await takeDueProductFeed(db, (await readStore(db)).now);
    if (!feed) return;
    await readOne(db, feed, inside);
  }
}

const MOST_BYTES = 40_000_000;
const MOST_PRODUCTS = 200_000;
const MOST_SAID = 10;

async function readOne(db: Db, feed: ProductFeedRow, inside: readonly string[]): Promise<void> {
  const settle = async (came: Parameters<typeof settleProductFeed>[2]) => settleProductFeed(db, feed.key, came, (await readStore(db)).now);
  let records: ProductRecord[];
  try {
    records = recordsOf(await fetchText(feed.url, inside, MOST_BYTES));
  } catch (error) {
    return settle({ problem: error instanceof Problem ? (error.errors?.[0]?.wrong ?? error.detail) : (error as Error).message });
  }
  const { told, skipped } = productsOf(records, feed.mapping);
  const all = [...told];
  for (let from = 0; from < all.length; from += 1000)
    await inTransaction(db, (trx) => storeProducts(trx, new Map(all.slice(from, from + 1000))));
  return settle({ stored: all.length, skipped, fields: Object.keys(records[0] ?? {}).slice(0, 60) });
}

/** The products of some records; of several for one article the last counts. Records that cannot be read are left out, and said. */
export function productsOf(
  records: readonly ProductRecord[],
  mapping: ProductMapping,
): { told: Map<string, ProductInput>; skipped: { count: number; some: string[] } } {
  const told = new Map<string, ProductInput>();
  const skipped = { count: 0, some: [] as string[] };
  for (const [index, record] of records.entries()) {
    const one = productOfRecord(record, guessMapping(record, mapping));
    if (typeof one !== 'string') told.set(one[0], one[1]);
    else if ((skipped.count += 1) <= MOST_SAID) skipped.some.push(`entry ${index + 1} ${one}`);
  }
  return { told, skipped };
}

/** The records of a feed of products: lines of a CSV, items of JSON wherever its list stands, entries of RSS or Atom. */
export function recordsOf(text: string): ProductRecord[] {
  const begins = text.replace(/^\uFEFF/, '').trimStart();
  const records = begins.startsWith('<')
    ? ofXml(begins)
    : /^[[{]/.test(begins)
      ? ofJson(begins)
      : linesOf(text, [], { keepsCase: true }).map(({ record }) => record);
  if (!records.length) throw new Error('has no products: a CSV, a list of JSON, RSS and Atom are read');
  if (records.length > MOST_PRODUCTS) throw new Error(`has ${records.length} products, and at most ${MOST_PRODUCTS} are read`);
  return records;
}

/** The longest list of objects in JSON: that of the products, wherever it stands. */
function ofJson(text: string): ProductRecord[] {
  let read: unknown;
  try {
    read = JSON.parse(text);
  } catch (error) {
    throw new Error(`is no JSON: ${(error as Error).message.slice(0, 120)}`);
  }
  let longest: ProductRecord[] = [];
  const look = (value: unknown, depth: number): void => {
    if (depth > 6 || value === null || typeof value !== 'object') return;
    if (Array.isArray(value)) {
      const objects = value.filter((one): one is ProductRecord => one !== null && typeof one === 'object' && !Array.isArray(one));
      if (objects.length > longest.length) longest = objects;
      return;
    }
    for (const one of Object.values(value)) look(one, depth + 1);
  };
  look(read, 0);
  return longest;
}

/** The entries of RSS or Atom: each element of an entry under its name, without what stands before a colon. */
function ofXml(text: string): ProductRecord[] {
  if (/<!DOCTYPE|<!ENTITY/i.test(text)) throw new Error('has a document type, which feeds have no need of');
  const records: { [name: string]: unknown }[] = [];
  let record: { [name: string]: unknown } | null = null;
  let field: string | null = null;
  let words = '';
  let depth = 0;
  const local = (name: string) => name.slice(name.indexOf(':') + 1);
  const parser = new Parser(
    {
      onopentag(name, attributes) {
        const plain = local(name);
        if (!record) {
          if (plain === 'item' || plain === 'entry') [record, depth] = [{}, 0];
          return;
        }
        depth += 1;
        if (depth > 1) return;
        field = plain;
        words = '';
        // an address may stand in an attribute: <link href="…"/>, <enclosure url="…"/>
        const address = attributes.href ?? attributes.url;
        if (address && record[plain] === undefined) record[plain === 'enclosure' || plain === 'content' ? 'image' : plain] = address;
      },
      ontext(more) {
        if (field !== null) words += more;
      },
      onclosetag(name) {
        if (!record) return;
        if (depth === 0 && (local(name) === 'item' || local(name) === 'entry')) {
          if (records.length <= MOST_PRODUCTS) records.push(record);
          record = null;
          return;
        }
        if (depth === 1 && field !== null && words.trim()) {
          const before = record[field];
          record[field] = field === 'category' && typeof before === 'string' ? `${before}|${words.trim()}` : (before ?? words.trim());
        }
        if (depth === 1) field = null;
        depth -= 1;
      },
    },
    { xmlMode: true, decodeEntities: true },
  );
  parser.end(text);
  return records;
}
