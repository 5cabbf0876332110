import { placeKey, type CountryGroup, type Point } from '@/core/places';
import type { Rate } from '@/core/rules';
import { query, queryOne, rowsOf, type Sql } from '../db';

export interface Place extends Point {
  /** ISO 3166, two letters */
  readonly country: string;
  readonly postcode: string;
}

const PLACES = rowsOf({ country: 'text', postcode: 'text', latitude: 'float', longitude: 'float' });
const RATES = rowsOf({ currency: 'text', day: 'text', micro: 'bigint' });

/** A postcode as the table has it: in capitals, without spaces. */
const plain = (postcode: string): string => placeKey('', postcode).slice(1);

/** Stores places; of one that is there already the new coordinates count. */
export async function putPlaces(sql: Sql, places: readonly Place[]): Promise<void> {
  if (places.length)
    await query(
      sql,
      `insert into places (country, postcode, latitude, longitude) select distinct on (country, postcode) country, postcode, latitude, longitude
       from ${PLACES.sql} as r on conflict (country, postcode) do update set latitude = excluded.latitude, longitude = excluded.longitude`,
      { rows: PLACES.of(places.map((one) => ({ ...one, postcode: plain(one.postcode) }))) },
    );
}

export const findPlace = (sql: Sql, country: string, postcode: string): Promise<Place | null> =>
  queryOne<Place>(sql, 'select country, postcode, latitude, longitude from places where country = :country and postcode = :postcode', {
    country,
    postcode: plain(postcode),
  });

/** How many postcodes of each country are on file. */
export const countPlaces = (sql: Sql): Promise<{ country: string; places: number }[]> =>
  query(sql, 'select country, count(*)::int as places from places group by 1 order by 1');

/** Removes the places of a country; answers how many there were. */
export async function dropPlaces(sql: Sql, country: string): Promise<number> {
  return (await query(sql, 'delete from places where country = :country returning 1', { country })).length;
}

/** Stores rates; of a day that is there already the new one counts. */
export async function putRates(sql: Sql, rates: readonly Rate[]): Promise<void> {
  if (rates.length)
    await query(
      sql,
      `insert into currency_rates (currency, day, micro) select distinct on (currency, day) currency, cast(day as date), micro from ${RATES.sql} as r
       on conflict (currency, day) do update set micro = excluded.micro`,
      { rows: RATES.of(rates.map((rate) => ({ ...rate }))) },
    );
}

export interface RateRow {
  readonly currency: string;
  readonly days: number;
  readonly first: string;
  readonly last: string;
  /** the last rate, in millionths */
  readonly micro: number;
}

/** The currencies of which rates are on file: over which days, and the last of them. */
export const countRates = (sql: Sql): Promise<RateRow[]> =>
  query(
    sql,
    `select currency, count(*)::int as days, to_char(min(day), 'YYYY-MM-DD') as first, to_char(max(day), 'YYYY-MM-DD') as last,
       (array_agg(micro order by day desc))[1]::float8 as micro from currency_rates group by 1 order by 1`,
  );

export async function dropRates(sql: Sql, currency: string): Promise<number> {
  return (await query(sql, 'delete from currency_rates where currency = :currency returning 1', { currency })).length;
}

export const readGroups = (sql: Sql): Promise<CountryGroup[]> =>
  query(sql, 'select key, name, codes from country_groups order by lower(name), key');

export async function putGroup(sql: Sql, { key, name, codes }: CountryGroup): Promise<void> {
  await query(
    sql,
    `insert into country_groups (key, name, codes) values (:key, :name, cast(:codes as text[]))
     on conflict (key) do update set name = excluded.name, codes = excluded.codes`,
    { key, name, codes: [...codes] },
  );
}

export async function dropGroup(sql: Sql, key: string): Promise<boolean> {
  return (await query(sql, 'delete from country_groups where key = :key returning 1', { key })).length > 0;
}
