import type { Offer, Offers } from '@/core/offers';
import type { World } from '@/core/rules';
import { query, type Sql } from '../db';

/** What was looked up of the world, by its number: another one stands for another state, so what is kept here is never out of date. */
const known = new Map<string, World>();
const MOST_KEPT = 8;

/** What rules look up that is about nobody, in the state that has this number. */
export async function worldOf(sql: Sql, number: string, currency: string): Promise<World> {
  const id = `${number} ${currency}`;
  let world = known.get(id);
  if (!world) {
    const rates = await query<{ currency: string; day: string; micro: string }>(
      sql,
      `select currency, to_char(day, 'YYYY-MM-DD') as day, micro from currency_rates order by currency, day`,
    );
    const groups = await query<{ key: string; name: string; codes: string[] }>(
      sql,
      'select key, name, codes from country_groups order by name, key',
    );
    const tracking = await query<{ value: string }>(sql, `select value #>> '{}' as value from settings where name = 'tracking'`);
    world = {
      currency,
      rates: rates.map((rate) => ({ ...rate, micro: Number(rate.micro) })),
      groups,
      tracksUnasked: tracking[0]?.value !== 'only-yes',
    };
    // the oldest goes
    if (known.size >= MOST_KEPT) known.delete(known.keys().next().value!);
    known.set(id, world);
  }
  return world;
}

const knownOffers = new Map<string, Offers>();

/** The offers that are on file and not archived, in the state that has this number. */
export async function offersOf(sql: Sql, number: string): Promise<Offers> {
  let offers = knownOffers.get(number);
  if (!offers) {
    const rows = await query<{ key: string; document: Offer }>(sql, 'select key, document from offers where archived_at is null');
    offers = new Map(rows.map(({ key, document }) => [key, document]));
    if (knownOffers.size >= MOST_KEPT) knownOffers.delete(knownOffers.keys().next().value!);
    knownOffers.set(number, offers);
  }
  return offers;
}

/** Notes that the world is not what it was: whoever looks it up next reads it anew. */
export const changeWorld = (sql: Sql): Promise<unknown> => query(sql, 'update store set world = gen_random_uuid()');
