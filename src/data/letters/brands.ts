import type { Brand } from '@/core/messages';
import type { Instant } from '@/core/time';
import { query, queryOne, type Sql } from '../db';

export interface BrandRow {
  readonly key: string;
  readonly document: Brand;
  readonly is_first: boolean;
  readonly changed_at: Date;
  readonly changed_by: string;
}

/** All brands, the store's first one first. */
export const listBrands = (sql: Sql): Promise<BrandRow[]> =>
  query<BrandRow>(sql, `select * from brands order by is_first desc, lower(document ->> 'name'), key`);

export const findBrand = (sql: Sql, key: string): Promise<BrandRow | null> =>
  queryOne<BrandRow>(sql, 'select * from brands where key = :key', { key });

/** Stores a brand under its key. The first there is at all, or one that is named so, is what letters are set in that name none. */
export async function saveBrand(sql: Sql, key: string, document: Brand, isFirst: boolean, by: string, at: Instant): Promise<void> {
  // two at once would both find none there
  await query(sql, 'lock table brands in share row exclusive mode');
  if (isFirst) await query(sql, 'update brands set is_first = false where is_first and key <> :key', { key });
  await query(
    sql,
    `insert into brands (key, document, is_first, changed_at, changed_by)
     values (:key, :document, :isFirst or not exists (select 1 from brands), :at, :by)
     on conflict (key) do update set document = excluded.document, is_first = brands.is_first or :isFirst,
       changed_at = excluded.changed_at, changed_by = excluded.changed_by`,
    { key, document: JSON.stringify(document), isFirst, by, at: new Date(at) },
  );
}

export const deleteBrand = async (sql: Sql, key: string): Promise<boolean> =>
  (await query(sql, 'delete from brands where key = :key and not is_first returning key', { key })).length > 0;
