import { offerSchema, type Offer } from '@/core/offers';
import { toMinor } from '@/core/money';
import type { Instant } from '@/core/time';
import { query, queryOne, type Sql } from '../db';
import { changeWorld } from '../store';

export interface OfferRow {
  readonly key: string;
  readonly document: Offer;
  readonly issued: string;
  readonly spent_minor: string;
  readonly created_at: Date;
  readonly created_by: string;
  readonly changed_at: Date;
  readonly archived_at: Date | null;
}

export async function findOffer(sql: Sql, key: string): Promise<OfferRow | null> {
  return queryOne<OfferRow>(sql, 'select * from offers where key = :key', { key });
}

/** All offers, those that are archived last. */
export async function listOffers(sql: Sql): Promise<OfferRow[]> {
  return query<OfferRow>(sql, `select * from offers order by archived_at is not null, document ->> 'name', key`);
}

/** Stores an offer under its key, and counts anew what its bounds look at. Whoever looks offers up next reads it anew. */
export async function saveOffer(sql: Sql, key: string, document: Offer, by: string, at: Instant): Promise<void> {
  await query(
    sql,
    `insert into offers (key, document, created_at, created_by, changed_at) values (:key, :document, :at, :by, :at)
     on conflict (key) do update set document = excluded.document, changed_at = excluded.changed_at, archived_at = null`,
    { key, document: JSON.stringify(document), by, at: new Date(at) },
  );
  await countOffers(sql, [key]);
  await changeWorld(sql);
}

export async function setArchived(sql: Sql, key: string, at: Instant | null): Promise<void> {
  await query(sql, 'update offers set archived_at = :at where key = :key', { key, at: at === null ? null : new Date(at) });
  await changeWorld(sql);
}

/** Counts anew, for offers that are bounded, how many codes are out and what they have cost. */
export async function countOffers(sql: Sql, keys: readonly string[]): Promise<void> {
  if (!keys.length) return;
  await query(
    sql,
    `update offers o set
       issued = (select count(*) from codes c where c.offer = o.key and c.issued_at is not null),
       spent_minor = (select coalesce(sum(c.discount_minor), 0) from codes c where c.offer = o.key and c.used_at is not null
         and c.currency = o.document ->> 'currency')
     where o.key in (select key from offers where key = any(cast(:keys as text[])) and document -> 'most' is not null order by key for update)`,
    { keys },
  );
}

/**
 * How many more codes may be issued of offers that are bounded, by key, held until the transaction ends: whoever else would issue
 * of them waits. Offers without a bound are not among them.
 */
export async function holdBounded(sql: Sql, keys: readonly string[]): Promise<Map<string, number>> {
  if (!keys.length) return new Map();
  const rows = await query<{ key: string; document: Offer; issued: string; spent_minor: string; stored: string | null }>(
    sql,
    `select key, document, issued, spent_minor,
       case when document -> 'code' -> 'loaded' is not null then (select count(*) from codes c where c.offer = o.key and c.issued_at is null) end as stored
     from offers o where key = any(cast(:keys as text[])) and (document -> 'most' is not null or document -> 'code' -> 'loaded' is not null)
     order by key for update`,
    { keys },
  );
  return new Map(
    rows.map(({ key, document: { most, currency }, issued, spent_minor: spent, stored }) => {
      const isSpent = most?.discount !== undefined && Number(spent) >= toMinor(most.discount, currency);
      const left = most?.codes === undefined ? Infinity : Math.max(0, most.codes - Number(issued));
      return [key, isSpent ? 0 : Math.min(left, stored === null ? Infinity : Number(stored))];
    }),
  );
}

/** Reads an offer as it is on file. */
export const readOffer = (document: unknown): Offer => offerSchema.parse(document);
