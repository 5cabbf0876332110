import { countryGroupInput, tableInput, type CountryGroupsView, type PlacesView, type PlaceView, type RatesView } from '@/core/api';
import { isCurrency } from '@/core/money';
import { COUNTRY_GROUPS, countryCode, readCountries } from '@/core/places';
import { readNumber } from '@/core/people';
import { segmentKey, type Rate, type Test } from '@/core/rules';
import { dayNumber } from '@/core/time';
import { inTransaction, type Db, type Sql } from '@/data/db';
import {
  countPlaces,
  countRates,
  dropGroup as removeGroup,
  dropPlaces as removePlaces,
  dropRates as removeRates,
  findPlace,
  putGroup,
  putPlaces,
  putRates,
  readGroups,
  type Place,
} from '@/data/places';
import { lookAgain } from '@/data/flows';
import { changeWorld, readStore, recordAct } from '@/data/store';
import { linesOf, notFound, Problem, problemsOf, readLines } from '../http';
import { buildAgain, usesOfTest } from '../people';

/** How large the body that brings a table may be: some hundred thousand lines. */
export const LARGEST_TABLE = 20 * 1024 * 1024;
/** What is not as it was has segments that look it up built anew, and who is inside a flow whose stay rule does looked at again. */
async function afterChange(trx: Sql, act: string, detail: object, by: string, asks: (test: Test) => boolean): Promise<void> {
  const { now } = await readStore(trx);
  await changeWorld(trx);
  await buildAgain(trx, asks, by);
  const flows = (await usesOfTest(trx, asks)).filter(({ kind, where }) => kind === 'flow' && where === 'stay rule');
  await lookAgain(trx, [...new Set(flows.map(({ key: flow }) => flow))], now);
  await recordAct(trx, now, by, act, detail);
}

/** How many postcodes of which countries are on file. */
export async function placesView(db: Db): Promise<PlacesView> {
  const countries = await countPlaces(db);
  return { total: countries.reduce((sum, { places }) => sum + places, 0), countries };
}

/** Where a postcode lies. */
export async function placeView(db: Db, country: string, postcode: string): Promise<PlaceView> {
  const place = await findPlace(db, country.slice(0, 2).toUpperCase(), postcode.slice(0, 40));
  if (!place) throw notFound('such postcode');
  return place;
}

/** Takes a table of places: `country, postcode, latitude, longitude`. What is there already under a postcode is replaced. */
export async function storePlaces(db: Db, body: unknown, by: string): Promise<PlacesView> {
  const parsed = tableInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not such a file', 'Nothing was stored.', problemsOf(parsed.error));
  const places = readLines(linesOf(parsed.data.csv, ['country', 'postcode', 'latitude', 'longitude']), (record): Place | string => {
    const country = countryCode(record.country ?? '');
    if (country === null) return `“${record.country ?? ''}” is not a country`;
    const postcode = (record.postcode ?? '').trim();
    if (!postcode || postcode.length > 20) return 'has no postcode';
    const [latitude, longitude] = [record.latitude, record.longitude].map((one) => readNumber(one ?? ''));
    if (latitude === null || latitude === undefined || Math.abs(latitude) > 90) return `“${record.latitude ?? ''}” is not a latitude`;
    if (longitude === null || longitude === undefined || Math.abs(longitude) > 180) return `“${record.longitude ?? ''}” is not a longitude`;
    return { country, postcode, latitude, longitude };
  });
  await inTransaction(db, async (trx) => {
    for (let from = 0; from < places.length; from += 20_000) await putPlaces(trx, places.slice(from, from + 20_000));
    await afterChange(trx, 'places.stored', { places: places.length }, by, (test) => test.test === 'near');
  });
  return placesView(db);
}

export async function dropPlaces(db: Db, country: string, by: string): Promise<void> {
  await inTransaction(db, async (trx) => {
    if (!(await removePlaces(trx, country.slice(0, 2).toUpperCase()))) throw notFound('place of that country');
    await afterChange(trx, 'places.removed', { country }, by, (test) => test.test === 'near');
  });
}

/** Of which currencies rates are on file. */
export async function ratesView(db: Db): Promise<RatesView> {
  const { currency } = await readStore(db);
  return { currency, rates: (await countRates(db)).map(({ micro, ...row }) => ({ ...row, rate: micro / 1_000_000 })) };
}

/** Takes a table of rates: `currency, day, rate`, what one unit was worth in the store's currency from that day on. */
export async function storeRates(db: Db, body: unknown, by: string): Promise<RatesView> {
  const parsed = tableInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not such a file', 'Nothing was stored.', problemsOf(parsed.error));
  const store = await readStore(db);
  const rates = readLines(linesOf(parsed.data.csv, ['currency', 'day', 'rate']), (record): Rate | string => {
    const currency = (record.currency ?? '').toUpperCase();
    if (!isCurrency(currency)) return `“${record.currency ?? ''}” is not a currency (ISO 4217)`;
    if (currency === store.currency) return `${currency} is the store’s own currency`;
    const day = record.day ?? '';
    if (dayNumber(day) === null) return `“${day}” is not a day such as 2026-11-24`;
    const micro = Math.round((readNumber(record.rate ?? '') ?? NaN) * 1_000_000);
    if (!(micro >= 1 && micro <= 1e12)) return `“${record.rate ?? ''}” is not a rate from 0.000001 to 1,000,000`;
    return { currency, day, micro };
  });
  await inTransaction(db, async (trx) => {
    for (let from = 0; from < rates.length; from += 20_000) await putRates(trx, rates.slice(from, from + 20_000));
    await afterChange(trx, 'rates.stored', { rates: rates.length }, by, (test) => test.test === 'orders');
  });
  return ratesView(db);
}

export async function dropRates(db: Db, currency: string, by: string): Promise<void> {
  await inTransaction(db, async (trx) => {
    if (!(await removeRates(trx, currency.slice(0, 3).toUpperCase()))) throw notFound('rate of that currency');
    await afterChange(trx, 'rates.removed', { currency }, by, (test) => test.test === 'orders');
  });
}

/** The store's own groups of countries. */
export const groupsView = async (db: Db): Promise<CountryGroupsView> => ({ groups: await readGroups(db) });

/** Stores a group of countries under its key, new or not. */
export async function storeGroup(db: Db, key: string, body: unknown, by: string): Promise<CountryGroupsView> {
  if (!segmentKey.safeParse(key).success || key.toUpperCase() in COUNTRY_GROUPS)
    throw new Problem(400, 'Not a key', 'A group’s key is made of a-z, 0-9 and -, and is none of ours.', [
      { field: 'key', wrong: 'is not a key', right: 'for example benelux' },
    ]);
  const parsed = countryGroupInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a group', 'Nothing was stored.', problemsOf(parsed.error));
  const { codes, unknown } = readCountries(parsed.data.countries.join('\n'));
  if (unknown.length)
    throw new Problem(422, 'Not a group', 'Nothing was stored.', [
      { field: 'countries', wrong: `“${unknown[0]!.slice(0, 60)}” is not a country`, right: 'names or ISO 3166 codes of countries' },
    ]);
  await inTransaction(db, async (trx) => {
    await putGroup(trx, { key, name: parsed.data.name, codes });
    await afterChange(trx, 'countries.grouped', { key }, by, (test) => test.test === 'country' && test.group === key);
  });
  return groupsView(db);
}

/** Removes a group, unless a rule asks for it. */
export async function dropGroup(db: Db, key: string, by: string): Promise<void> {
  await inTransaction(db, async (trx) => {
    const uses = await usesOfTest(trx, (test) => test.test === 'country' && test.group === key);
    if (uses.length)
      throw new Problem(
        409,
        'Still in use',
        `It is asked for in ${uses.map(({ name, where }) => `“${name}” (${where})`).join(', ')}. Take it out there first; nothing was changed.`,
      );
    if (!(await removeGroup(trx, key))) throw notFound(`group "${key.slice(0, 60)}"`);
    await afterChange(trx, 'countries.ungrouped', { key }, by, () => false);
  });
}
