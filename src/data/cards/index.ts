import type { Card, CardOf } from '@/core/cards';
import { query, queryOne, type Sql } from '../db';

export interface CardRow extends Card {
  readonly key: string;
}

/** The cards of a kind. */
export const listCards = (sql: Sql, kind: CardOf): Promise<CardRow[]> =>
  query<CardRow>(sql, 'select key, about, owner, tags from cards where kind = :kind order by key', { kind });

/** Writes the card of something anew. */
export async function putCard(sql: Sql, kind: CardOf, key: string, card: Card): Promise<void> {
  await query(
    sql,
    `insert into cards (kind, key, about, owner, tags) values (:kind, :key, :about, :owner, cast(:tags as text[]))
     on conflict (kind, key) do update set about = excluded.about, owner = excluded.owner, tags = excluded.tags`,
    { kind, key, ...card },
  );
}

const IN: { readonly [kind in CardOf]: string } = {
  message: 'library',
  offer: 'offers',
  form: 'forms',
  source: 'sources',
  list: 'lists',
  report: 'reports',
};

/** Whether there is such a thing; locked, so that it does not go meanwhile. */
export const lockCarded = async (sql: Sql, kind: CardOf, key: string): Promise<boolean> =>
  (await queryOne(sql, `select 1 from ${IN[kind]} where key = :key for share`, { key })) !== null;
