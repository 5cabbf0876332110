import type { Instant } from '@/core/time';
import { query, queryOne, type Sql } from '../db';

/** Somebody in whose name letters go out. Only an address whose owner has confirmed it is used. */
export interface SenderRow {
  readonly key: string;
  readonly name: string;
  readonly address: string;
  readonly verified_at: Date | null;
  readonly asked_at: Date | null;
}

export const listSenders = (sql: Sql): Promise<SenderRow[]> => query<SenderRow>(sql, 'select * from senders order by lower(name), key');
export const findSender = (sql: Sql, key: string): Promise<SenderRow | null> =>
  queryOne<SenderRow>(sql, 'select * from senders where key = :key', { key });

/** Stores a sender; another address has to be confirmed anew. */
export async function saveSender(sql: Sql, { key, name, address }: Pick<SenderRow, 'key' | 'name' | 'address'>): Promise<void> {
  await query(
    sql,
    `insert into senders (key, name, address) values (:key, :name, :address) on conflict (key) do update set name = excluded.name,
       verified_at = case when senders.address = excluded.address then senders.verified_at end, address = excluded.address`,
    { key, name, address },
  );
}

export const noteAsked = async (sql: Sql, key: string, at: Instant): Promise<void> =>
  void (await query(sql, 'update senders set asked_at = :at where key = :key', { key, at: new Date(at) }));

/** Notes that the owner of an address has confirmed it; answers whether there is such a sender with that address. */
export const verifySender = async (sql: Sql, key: string, address: string, at: Instant): Promise<boolean> =>
  (
    await query(sql, 'update senders set verified_at = coalesce(verified_at, :at) where key = :key and address = :address returning key', {
      key,
      address,
      at: new Date(at),
    })
  ).length > 0;

export const deleteSender = async (sql: Sql, key: string): Promise<boolean> =>
  (await query(sql, 'delete from senders where key = :key returning key', { key })).length > 0;
