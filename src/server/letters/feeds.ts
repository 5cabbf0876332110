import { parseFeed } from 'feedsmith';
import { convert } from 'html-to-text';
import { feedInput, libraryKey, type FeedView } from '@/core/api';
import { cut, safeUrl } from '@/core/text';
import { inTransaction, type Db } from '@/data/db';
import { deleteFeed, findFeed, listFeeds, saveFeed, settleFeed, takeDueFeed, type FeedEntry, type FeedRow } from '@/data/letters';
import { readStore, recordAct } from '@/data/store';
import { fetchText } from '../outgoing';
import { notFound, Problem, problemsOf } from '../http';

const viewOf = ({ key, name, url, every_minutes, title, read_at, problem, entries }: FeedRow): FeedView => ({
  key,
  name,
  url,
  everyMinutes: every_minutes,
  title,
  readAt: read_at?.toISOString() ?? null,
  problem,
  entries: entries.map(({ id: _, ...entry }) => entry),
});

export const feeds = async (db: Db): Promise<{ feeds: FeedView[] }> => ({ feeds: (await listFeeds(db)).map(viewOf) });

/** Stores where a feed is to be read, and reads it at once. What is wrong with it is told with it. */
export async function putFeed(db: Db, key: string, body: unknown, inside: readonly string[], by: string): Promise<FeedView> {
  if (!libraryKey.safeParse(key).success)
    throw new Problem(400, 'Not a key', "A feed's key is made of a-z, 0-9 and -, at most 60 characters.");
  const parsed = feedInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a feed', 'Nothing was stored.', problemsOf(parsed.error));
  const url = safeUrl(parsed.data.url.trim());
  if (!url)
    throw new Problem(422, 'Not a feed', 'Nothing was stored.', [
      { field: 'url', wrong: 'is not an address', right: 'one that begins with https://' },
    ]);
  await inTransaction(db, async (trx) => {
    await saveFeed(trx, { key, name: parsed.data.name, url, every_minutes: parsed.data.everyMinutes ?? 60 });
    await recordAct(trx, (await readStore(trx)).now, by, 'feed.stored', { key, url });
  });
  await readOne(db, (await findFeed(db, key))!, inside);
  return viewOf((await findFeed(db, key))!);
}

export async function removeFeed(db: Db, key: string, by: string): Promise<void> {
  await inTransaction(db, async (trx) => {
    if (!(await deleteFeed(trx, key))) throw notFound(`feed "${key.slice(0, 60)}"`);
    await recordAct(trx, (await readStore(trx)).now, by, 'feed.deleted', { key });
  });
}

/** How many feeds are read in one go. */
const AT_ONCE = 20;

/** Reads the feeds that are due. */
export async function readFeeds(db: Db, inside: readonly string[]): Promise<void> {
  for (let read = 0; read < AT_ONCE; read++) {
    const feed = await takeDueFeed(db, (await readStore(db)).now);
    if (!feed) return;
    await readOne(db, feed, inside);
  }
}

const MOST_BYTES = 2_000_000;
const MOST_ENTRIES = 50;

async function readOne(db: Db, feed: FeedRow, inside: readonly string[]): Promise<void> {
  const came = await fetchText(feed.url, inside, MOST_BYTES).then(
    (text) => entriesOf(text),
    (error: Error) => ({ problem: error.message }),
  );
  await settleFeed(db, feed.key, feed.url, came, (await readStore(db)).now);
}

type Entryish = { readonly [name: string]: unknown };
const textOf = (value: unknown): string | null =>
  typeof value === 'string'
    ? value
    : value !== null && typeof value === 'object' && 'value' in value
      ? textOf((value as { value: unknown }).value)
      : null;
const plain = (value: unknown, most: number): string | null => {
  const html = textOf(value);
  if (html === null) return null;
  const text = convert(html.slice(0, 50_000), {
    wordwrap: false,
    selectors: [
      { selector: 'img', format: 'skip' },
      { selector: 'a', options: { ignoreHref: true } },
    ],
  })
    .replace(/\s+/g, ' ')
    .trim();
  return text ? cut(text, most) : null;
};

/** The entries of an RSS, Atom, RDF or JSON feed, newest first; or why it cannot be read. A document type is refused: entities are defined in it. */
export function entriesOf(text: string): { title: string | null; entries: FeedEntry[] } | { problem: string } {
  if (/<!DOCTYPE|<!ENTITY/i.test(text)) return { problem: 'it has a document type, which feeds have no need of' };
  let read: { format: string; feed: unknown };
  try {
    read = parseFeed(text) as { format: string; feed: unknown };
  } catch {
    return { problem: 'it is no feed: RSS, Atom, RDF and JSON feeds are read' };
  }
  const feed = read.feed as Entryish;
  const listed = (feed.items ?? feed.entries ?? []) as readonly Entryish[];
  const entries = listed.slice(0, 500).flatMap((item): FeedEntry[] => {
    const links = (item.links ?? []) as readonly Entryish[];
    const url = safeUrl(item.link ?? item.url ?? links.find(({ rel }) => rel === undefined || rel === 'alternate')?.href ?? links[0]?.href);
    const name = plain(item.title, 200);
    if (!name) return [];
    const id = textOf(item.guid) ?? textOf(item.id) ?? url ?? name;
    const said =
      textOf(item.pubDate) ??
      textOf(item.published) ??
      textOf(item.updated) ??
      textOf(item.date_published) ??
      textOf((item.dc as Entryish | undefined)?.date);
    const at = said && !Number.isNaN(Date.parse(said)) ? new Date(said).toISOString() : null;
    const words = plain(item.summary ?? item.description ?? item.content_text ?? item.content ?? item.content_html, 240);
    return [{ id: cut(id, 500), name, words, url, image: imageOf(item), at }];
  });
  const inOrder = [...entries].sort((a, b) => (b.at ?? '').localeCompare(a.at ?? ''));
  return { title: plain(feed.title, 200), entries: inOrder.slice(0, MOST_ENTRIES) };
}

function imageOf(item: Entryish): string | null {
  const enclosures = (item.enclosures ?? []) as readonly Entryish[];
  const enclosed = enclosures.find(({ type }) => typeof type === 'string' && type.startsWith('image/'))?.url;
  const media = (item.media ?? {}) as { contents?: readonly Entryish[]; thumbnails?: readonly Entryish[] };
  return safeUrl(enclosed ?? item.image ?? media.thumbnails?.[0]?.url ?? media.contents?.find(({ medium }) => medium === 'image')?.url);
}
