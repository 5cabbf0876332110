import type { Instant } from '@/core/time';
import { query, queryOne, type Sql } from '../db';

/** What was new in a feed at an occasion of a flow. The entries are as the feed's room keeps them. */
export interface NewsRow<E> {
  readonly at: Date;
  readonly feed: string;
  readonly entries: readonly E[];
  readonly is_told: boolean;
}

/** What was new at one occasion; null where that was not looked at yet. */
export const newsOf = <E>(sql: Sql, flowId: number, occasion: string): Promise<NewsRow<E> | null> =>
  queryOne<NewsRow<E>>(sql, 'select at, feed, entries, is_told from occasion_news where flow_id = :flowId and occasion = :occasion', {
    flowId,
    occasion,
  });

/** The ids of all entries that were told of at occasions of a flow before; null where nothing was. */
export async function toldNews(sql: Sql, flowId: number): Promise<ReadonlySet<string> | null> {
  const rows = await query<{ id: string }>(
    sql,
    `select e ->> 'id' as id from occasion_news n, jsonb_array_elements(n.entries) e where n.flow_id = :flowId and n.is_told`,
    { flowId },
  );
  return rows.length ? new Set(rows.map(({ id }) => id)) : null;
}

/** Notes what is new at an occasion, once. */
export async function noteNews(
  sql: Sql,
  news: { flowId: number; occasion: string; at: Instant; feed: string; entries: readonly unknown[]; isTold: boolean },
): Promise<void> {
  await query(
    sql,
    `insert into occasion_news (flow_id, occasion, at, feed, entries, is_told) values (:flowId, :occasion, :at, :feed, :entries, :isTold)
     on conflict do nothing`,
    { ...news, at: new Date(news.at), entries: JSON.stringify(news.entries) },
  );
}

/** What was new at occasions of flows, by "flow key/occasion". */
export async function newsShown<E>(sql: Sql, occasions: readonly { flow: string; occasion: string }[]): Promise<Map<string, NewsRow<E>>> {
  const rows = await query<NewsRow<E> & { key: string; occasion: string }>(
    sql,
    `select f.key, n.occasion, n.at, n.feed, n.entries, n.is_told from occasion_news n join flows f on f.id = n.flow_id
     where (f.key, n.occasion) in (select * from unnest(cast(:flows as text[]), cast(:occasions as text[])))`,
    { flows: occasions.map(({ flow }) => flow), occasions: occasions.map(({ occasion }) => occasion) },
  );
  return new Map(rows.map((row) => [`${row.key}/${row.occasion}`, row]));
}

/** The newest occasions of a flow at which a feed was looked at. */
export const newsOfFlow = <E>(sql: Sql, flowId: number, most: number): Promise<NewsRow<E>[]> =>
  query<NewsRow<E>>(sql, 'select at, feed, entries, is_told from occasion_news where flow_id = :flowId order by at desc limit :most', {
    flowId,
    most,
  });
