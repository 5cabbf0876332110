import type { Instant } from '@/core/time';
import { productAfter, type Product, type ProductInput } from '@/core/products';
import { query, queryOne, rowsOf, type Sql } from '../db';
import { findProducts, saveProducts } from '../products';

const ARRIVED = rowsOf(
  { source_id: 'int', at: 'moment', accepted: 'int', duplicates: 'int', rejected: 'int', seen: 'jsonb', products: 'jsonb' },
  'arrivals',
);

/** What a batch showed of an event type: how often, when, and its properties with their kinds and values. */
export interface SeenType {
  readonly count: number;
  readonly first: Instant;
  readonly last: Instant;
  readonly properties: {
    readonly [name: string]: {
      readonly count: number;
      readonly kinds: { readonly [kind: string]: number };
      readonly values: { readonly [value: string]: number };
    };
  };
}

export interface Arrival {
  readonly sourceId: number;
  readonly at: Instant;
  readonly accepted: number;
  readonly duplicates: number;
  readonly rejected: number;
  readonly seen: { readonly [type: string]: SeenType };
  /** what its events told of products, the latest word on each */
  readonly products?: readonly LearnedProduct[];
}

export interface LearnedProduct {
  readonly sku: string;
  readonly told: ProductInput;
}

/** Notes what batches brought, in the transaction that stores it. Nobody waits: counters are folded later. */
export async function noteArrivals(sql: Sql, arrivals: readonly Arrival[]): Promise<void> {
  await query(sql, `insert into arrivals (source_id, at, accepted, duplicates, rejected, seen, products) ${ARRIVALS}`, {
    arrivals: arrivalRows(arrivals),
  });
}

/** Arrivals as rows, for `insert into arrivals`; their binding is `arrivals`. */
export const ARRIVALS = `select source_id, at, accepted, duplicates, rejected, seen, products from ${ARRIVED.sql} as a`;

export const arrivalRows = (arrivals: readonly Arrival[]): string =>
  ARRIVED.of(
    arrivals
      .filter((one) => one.accepted || one.duplicates)
      .map(({ sourceId, at, products, ...rest }) => ({
        source_id: sourceId,
        at: new Date(at),
        ...rest,
        products: products?.length ? products : null,
      })),
  );

/** How many values of one property are told apart; where there are as many, one that is missing may just be rare. */
export const MOST_VALUES = 200;
/** Longer values are no names of anything: they are not told apart. */
export const LONGEST_VALUE = 60;

/** Folds what has arrived into catalogue and rates, each batch once. Answers with how many batches. */
export async function foldArrivals(sql: Sql, limit = 500): Promise<number> {
  const row = await queryOne<{ count: number; learned: LearnedProduct[][] | null }>(
    sql,
    `with taken as materialized (
       delete from arrivals where id in (select id from arrivals order by id limit :limit for update skip locked) returning *
     ), minutes as (
       insert into source_minutes (source_id, minute, accepted, duplicates, rejected)
       select source_id, date_trunc('minute', at), sum(accepted), sum(duplicates), sum(rejected) from taken group by 1, 2 order by 1, 2
       on conflict (source_id, minute) do update set accepted = source_minutes.accepted + excluded.accepted,
         duplicates = source_minutes.duplicates + excluded.duplicates, rejected = source_minutes.rejected + excluded.rejected
     ), types as materialized (
       select t.key as type, t.value as seen from taken, jsonb_each(seen) t
     ), properties as materialized (
       select type, p.key as name, p.value as seen from types, jsonb_each(seen->'properties') p
     ), type_rows as (
       insert into event_types (type, count, first_at, last_at)
       select type, sum((seen->>'count')::bigint), to_timestamp(min((seen->>'first')::bigint) / 1000.0),
         to_timestamp(max((seen->>'last')::bigint) / 1000.0) from types group by 1 order by 1
       on conflict (type) do update set count = event_types.count + excluded.count, first_at = least(event_types.first_at, excluded.first_at),
         last_at = greatest(event_types.last_at, excluded.last_at)
     ), kinds as (
       select type, name, jsonb_object_agg(kind, count) as kinds from (
         select type, name, k.key as kind, sum(k.value::text::bigint) as count from properties, jsonb_each(seen->'kinds') k group by 1, 2, 3
       ) x group by 1, 2
     ), property_rows as (
       insert into event_properties (type, name, kinds, count)
       select type, name, kinds, (select sum(value::text::bigint) from jsonb_each(kinds)) from kinds order by 1, 2
       on conflict (type, name) do update set count = event_properties.count + excluded.count,
         kinds = (select jsonb_object_agg(k, coalesce((event_properties.kinds->>k)::bigint, 0) + coalesce((excluded.kinds->>k)::bigint, 0))
           from (select jsonb_object_keys(event_properties.kinds) as k union select jsonb_object_keys(excluded.kinds)) u)
     ), value_rows as (
       insert into event_values (type, name, value, count)
       select type, name, v.key, sum(v.value::text::bigint) from properties, jsonb_each(seen->'values') v group by 1, 2, 3 order by 1, 2, 3
       on conflict (type, name, value) do update set count = event_values.count + excluded.count
     )
     select count(*)::int as count, jsonb_agg(products order by id) filter (where products is not null) as learned from taken`,
    { limit },
  );
  if (row!.learned) await learnProducts(sql, row!.learned.flat());
  return row!.count;
}

/** Keeps what events told of products that the shop itself has told nothing of. */
async function learnProducts(sql: Sql, learned: readonly LearnedProduct[]): Promise<void> {
  const store = await queryOne<{ currency: string }>(sql, 'select currency from store');
  if (!store) return;
  const told = new Map<string, ProductInput>();
  for (const one of learned) told.set(one.sku, { ...told.get(one.sku), ...one.told });
  const known = await findProducts(sql, [...told.keys()]);
  const after = [...told].flatMap(([sku, one]) => {
    const was = known.get(sku) ?? null;
    if (was?.isTold) return [];
    const is = productAfter(sku, was, one, store.currency);
    return was && isSame(was, is) ? [] : [is];
  });
  await saveProducts(sql, after, Date.now(), false);
}

const isSame = (was: Product, is: Product): boolean =>
  (Object.keys(is) as (keyof Product)[]).every((name) => JSON.stringify(was[name]) === JSON.stringify(is[name]));

/** Keeps the most frequent values of each property: there is no telling apart of a million cart ids. */
export async function trimValues(sql: Sql): Promise<void> {
  await query(
    sql,
    `delete from event_values v using (
       select type, name, value, row_number() over (partition by type, name order by count desc, value) as place from event_values
     ) r where r.place > :most and v.type = r.type and v.name = r.name and v.value = r.value`,
    { most: MOST_VALUES },
  );
}

export interface TypeRow {
  type: string;
  count: string;
  first_at: Date;
  last_at: Date;
  properties: number;
}

export async function listTypes(sql: Sql): Promise<TypeRow[]> {
  return query<TypeRow>(
    sql,
    `select t.*, (select count(*)::int from event_properties p where p.type = t.type) as properties from event_types t order by t.last_at desc`,
  );
}

/** The types of events that have arrived, with how often. */
export const typesSeen = (sql: Sql): Promise<{ value: string; count: number }[]> =>
  query(sql, 'select type as value, count::float8 as count from event_types');

export interface PropertyRow {
  name: string;
  kinds: Record<string, number>;
  count: string;
  values: { value: string; count: number }[] | null;
}

/** The properties of a type, with their kinds and the values found most often. */
export async function typeProperties(sql: Sql, type: string): Promise<PropertyRow[]> {
  return query<PropertyRow>(
    sql,
    `select p.name, p.kinds, p.count, (
       select jsonb_agg(jsonb_build_object('value', value, 'count', count) order by count desc, value) from (
         select value, count from event_values v where v.type = p.type and v.name = p.name order by count desc, value limit 30) top) as values
     from event_properties p where p.type = :type order by p.count desc, p.name`,
    { type },
  );
}

export async function findType(sql: Sql, type: string): Promise<Omit<TypeRow, 'properties'> | null> {
  return queryOne(sql, 'select type, count, first_at, last_at from event_types where type = :type', { type });
}

/** Values of a property that have been seen, for one type: what warnings about values that never occur look at. */
export async function seenValues(sql: Sql, type: string, name: string): Promise<{ value: string; count: number }[]> {
  return query(sql, 'select value, count::int from event_values where type = :type and name = :name order by count desc, value', {
    type,
    name,
  });
}

/** Builds the catalogue anew from the events on file, as after loading history by COPY. */
export async function rebuildCatalogue(sql: Sql): Promise<void> {
  await query(sql, 'truncate event_types, event_properties, event_values');
  await query(sql, `insert into event_types select type, count(*), min(time), max(time) from events group by 1`);
  await query(
    sql,
    `insert into event_properties (type, name, kinds, count)
     select type, name, jsonb_object_agg(kind, count), sum(count) from (
       select e.type, p.key as name, jsonb_typeof(p.value) as kind, count(*) as count from events e, jsonb_each(e.properties) p
         where jsonb_typeof(p.value) <> 'null' group by 1, 2, 3
     ) x group by 1, 2`,
  );
  await query(
    sql,
    `insert into event_values (type, name, value, count)
     select type, name, value, count from (
       select type, name, value, count, row_number() over (partition by type, name order by count desc, value) as place from (
         select e.type, p.key as name, p.value #>> '{}' as value, count(*) as count from events e, jsonb_each(e.properties) p
         where jsonb_typeof(p.value) in ('string', 'number', 'boolean') and length(p.value #>> '{}') <= :longest group by 1, 2, 3) v
     ) r where place <= :most`,
    { most: MOST_VALUES, longest: LONGEST_VALUE },
  );
}
