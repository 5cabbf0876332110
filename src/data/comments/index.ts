import type { NoticeKind, Notified, SpokenOf } from '@/core/comments';
import type { Instant } from '@/core/time';
import { query, queryOne, rowsOf, type Sql } from '../db';

export interface CommentRow {
  readonly id: string;
  readonly kind: SpokenOf;
  readonly key: string;
  readonly part: string | null;
  readonly text: string;
  readonly by_id: string | null;
  readonly by_name: string;
  readonly at: Date;
  readonly changed_at: Date | null;
  readonly done_at: Date | null;
  readonly done_by: string | null;
}

/** What was said of something, the oldest first. */
export const listComments = (sql: Sql, kind: SpokenOf, key: string): Promise<CommentRow[]> =>
  query<CommentRow>(sql, 'select * from comments where kind = :kind and key = :key order by id limit 500', { kind, key });

/** One comment, locked. */
export const lockComment = (sql: Sql, id: string): Promise<CommentRow | null> =>
  queryOne<CommentRow>(sql, 'select * from comments where id = :id for update', { id });

export async function addComment(
  sql: Sql,
  of: { kind: SpokenOf; key: string; part: string | null; text: string; byId: string | null; byName: string; at: Instant },
): Promise<string> {
  const row = await queryOne<{ id: string }>(
    sql,
    'insert into comments (kind, key, part, text, by_id, by_name, at) values (:kind, :key, :part, :text, :byId, :byName, :at) returning id',
    { ...of, at: new Date(of.at) },
  );
  return row!.id;
}

export const rewordComment = (sql: Sql, id: string, text: string, at: Instant): Promise<unknown> =>
  query(sql, 'update comments set text = :text, changed_at = :at where id = :id', { id, text, at: new Date(at) });

/** Settles a comment, or opens it again where nobody is named. */
export const settleComment = (sql: Sql, id: string, by: string | null, at: Instant): Promise<unknown> =>
  query(sql, 'update comments set done_at = :at, done_by = :by where id = :id', { id, by, at: by === null ? null : new Date(at) });

export const dropComment = (sql: Sql, id: string): Promise<unknown> => query(sql, 'delete from comments where id = :id', { id });

/** Whether there is something of a kind under a key. */
export async function isThere(sql: Sql, kind: SpokenOf, key: string): Promise<boolean> {
  const from: { readonly [kind in SpokenOf]: string } = {
    flow: 'flows where key = :key',
    message: 'library where key = :key',
    offer: 'offers where key = :key',
    segment: 'segments where key = :key',
  };
  return (await query(sql, `select 1 from ${from[kind]}`, { key })).length > 0;
}

/** Who looks after something, as its card says. */
const CARD = (kind: SpokenOf): string => `(select nullif(c.owner, '') from cards c where c.kind = '${kind}' and c.key = :key)`;

/** What something is called, and who looks after it, as far as that is said. */
export async function aboutWhat(
  sql: Sql,
  kind: SpokenOf,
  key: string,
): Promise<{ name: string; owner: string | null; isBroadcast: boolean } | null> {
  const from: { readonly [kind in SpokenOf]: string } = {
    flow: `select f.name, coalesce(f.draft ->> 'owner', (select v.published_by from flow_versions v where v.flow_id = f.id and v.version = f.version))
      as owner, coalesce(f.draft ->> 'as' = 'broadcast', false) as "isBroadcast" from flows f where key = :key`,
    message: `select name, coalesce(${CARD('message')}, changed_by) as owner, false as "isBroadcast" from library where key = :key`,
    offer: `select document ->> 'name' as name, coalesce(${CARD('offer')}, created_by) as owner, false as "isBroadcast" from offers where key = :key`,
    segment: `select document ->> 'name' as name, coalesce(document ->> 'owner', created_by) as owner, false as "isBroadcast" from segments where key = :key`,
  };
  return queryOne(sql, from[kind], { key });
}

export interface ActToTell {
  readonly id: string;
  readonly at: Date;
  readonly actor: string;
  readonly what: string;
  readonly detail: { readonly [name: string]: unknown };
}

/** Acts of the last while that somebody may be told of. What was told of already comes again and is not told twice. */
export const actsToTell = (sql: Sql, since: Instant, kinds: readonly string[]): Promise<ActToTell[]> =>
  query<ActToTell>(
    sql,
    `select id, at, actor, what, detail from acts where at >= :since and what = any(cast(:kinds as text[]))
       and not exists (select 1 from notices n where n.act_id = acts.id) order by id limit 500`,
    { since: new Date(since), kinds },
  );

/** Who is on the team and has joined, and how each wants to hear. */
export const whoHears = (sql: Sql): Promise<{ id: string; name: string; email: string; notified: Partial<Notified> }[]> =>
  query(sql, 'select id, name, email, notified from users where joined_at is not null order by id');

const NOTICES = rowsOf({ user_id: 'bigint', kind: 'text', at: 'moment', says: 'text', href: 'text', act_id: 'bigint' });

export interface NewNotice {
  readonly userId: string;
  readonly kind: NoticeKind;
  readonly at: Instant;
  readonly says: string;
  readonly href: string;
  readonly actId: string;
}

/** Stores what people are told of, each act once for each of them. Answers with those that are new. */
export async function addNotices(sql: Sql, notices: readonly NewNotice[]): Promise<{ userId: string; actId: string }[]> {
  if (!notices.length) return [];
  return query<{ userId: string; actId: string }>(
    sql,
    `insert into notices (user_id, kind, at, says, href, act_id) select user_id, kind, at, says, href, act_id from ${NOTICES.sql} as n
     on conflict do nothing returning user_id as "userId", act_id as "actId"`,
    {
      rows: NOTICES.of(notices.map(({ userId, actId, at, ...one }) => ({ ...one, user_id: userId, act_id: actId, at: new Date(at) }))),
    },
  );
}

export interface NoticeRow {
  readonly id: string;
  readonly kind: NoticeKind;
  readonly at: Date;
  readonly says: string;
  readonly href: string;
  readonly seen_at: Date | null;
}
export const noticesOf = (sql: Sql, userId: string): Promise<NoticeRow[]> =>
  query<NoticeRow>(sql, 'select id, kind, at, says, href, seen_at from notices where user_id = :userId order by id desc limit 50', {
    userId,
  });
export const unseenOf = async (sql: Sql, userId: string): Promise<number> =>
  (await queryOne<{ n: number }>(sql, 'select count(*)::int as n from notices where user_id = :userId and seen_at is null', { userId }))!.n;
export const seeNotices = (sql: Sql, userId: string, upTo: string): Promise<unknown> =>
  query(sql, 'update notices set seen_at = now() where user_id = :userId and id <= :upTo and seen_at is null', { userId, upTo });

export const readNotified = async (sql: Sql, userId: string): Promise<Partial<Notified>> =>
  (await queryOne<{ notified: Partial<Notified> }>(sql, 'select notified from users where id = :userId', { userId }))?.notified ?? {};
export const saveNotified = (sql: Sql, userId: string, notified: Notified): Promise<unknown> =>
  query(sql, 'update users set notified = :notified where id = :userId', { userId, notified: JSON.stringify(notified) });
