import type { Instant } from '@/core/time';
import { query, queryOne, type Sql } from '../db';

/** An entry of a feed, as letters show it. */
export interface FeedEntry {
  readonly id: string;
  readonly name: string;
  readonly words: string | null;
  readonly url: string | null;
  readonly image: string | null;
  /** when it was published, if the feed says so */
  readonly at: string | null;
}

export interface FeedRow {
  readonly key: string;
  readonly name: string;
  readonly url: string;
  readonly every_minutes: number;
  readonly entries: FeedEntry[];
  readonly title: string | null;
  readonly read_at: Date | null;
  readonly tried_at: Date | null;
  readonly problem: string | null;
}

export const listFeeds = (sql: Sql): Promise<FeedRow[]> => query<FeedRow>(sql, 'select * from feeds order by lower(name), key');
export const findFeed = (sql: Sql, key: string): Promise<FeedRow | null> =>
  queryOne<FeedRow>(sql, 'select * from feeds where key = :key', { key });

/** Stores where a feed is to be read. Another address is read at once, and what came from the one before is gone. */
export async function saveFeed(sql: Sql, feed: Pick<FeedRow, 'key' | 'name' | 'url' | 'every_minutes'>): Promise<void> {
  await query(
    sql,
    `insert into feeds (key, name, url, every_minutes) values (:key, :name, :url, :every_minutes)
     on conflict (key) do update set name = excluded.name, every_minutes = excluded.every_minutes, url = excluded.url,
       entries = case when feeds.url = excluded.url then feeds.entries else '[]' end,
       tried_at = case when feeds.url = excluded.url then feeds.tried_at end,
       read_at = case when feeds.url = excluded.url then feeds.read_at end,
       problem = case when feeds.url = excluded.url then feeds.problem end`,
    feed,
  );
}

export const deleteFeed = async (sql: Sql, key: string): Promise<boolean> =>
  (await query(sql, 'delete from feeds where key = :key returning key', { key })).length > 0;

/** Has a feed be read next, whenever it was read last. */
export const askForFeed = (sql: Sql, key: string): Promise<unknown> =>
  query(sql, 'update feeds set tried_at = null where key = :key', { key });

/** Takes a feed in hand that is due, so that no other worker reads it meanwhile; null when none is. */
export const takeDueFeed = (sql: Sql, now: Instant): Promise<FeedRow | null> =>
  queryOne<FeedRow>(
    sql,
    `update feeds set tried_at = :now where key = (
       select key from feeds where tried_at is null or tried_at <= cast(:now as timestamptz) - make_interval(mins => every_minutes)
       order by tried_at nulls first limit 1 for update skip locked) returning *`,
    { now: new Date(now) },
  );

/** Notes what was read of a feed; when it could not be read, what was there stays. */
export async function settleFeed(
  sql: Sql,
  key: string,
  url: string,
  came: { readonly title: string | null; readonly entries: readonly FeedEntry[] } | { readonly problem: string },
  now: Instant,
): Promise<void> {
  if ('problem' in came) {
    await query(sql, 'update feeds set problem = :problem, tried_at = :now where key = :key and url = :url', {
      key,
      url,
      problem: came.problem.slice(0, 300),
      now: new Date(now),
    });
    return;
  }
  await query(
    sql,
    'update feeds set problem = null, read_at = :now, tried_at = :now, title = :title, entries = :entries where key = :key and url = :url',
    {
      key,
      url,
      title: came.title,
      entries: JSON.stringify(came.entries),
      now: new Date(now),
    },
  );
}
