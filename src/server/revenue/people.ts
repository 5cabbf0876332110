import { isDeepStrictEqual } from 'node:util';
import type { CohortsView, ForwardView, PredictionsView } from '@/core/api';
import {
  chanceActive,
  chanceOfOrder,
  expectedOrders,
  expectedValue,
  fitBuying,
  fitValue,
  happenedBy,
  happenedWithin,
  survivalCurve,
  timeUntil,
  timeUntilExpected,
  type Buyer,
} from '@/core/stats';
import { toMajor } from '@/core/money';
import { PREDICTED, valueAt, type Value } from '@/core/rules';
import { DAY, localDate, type Instant } from '@/core/time';
import { inTransaction, type Db, type Sql } from '@/data/db';
import { changeAttributes, lockPeople, type LockedPerson } from '@/data/people';
import {
  buyerRows,
  cohortRows,
  dropPredictions,
  forwardRows,
  heldFit,
  keepFit,
  lastFit,
  noteReckoned,
  ordersBetween,
  predictedForNothing,
  predictedInAll,
  savePredictions,
  type BuyerRow,
  type FitRow,
  type ForwardRow,
  type HeldOut,
  type Prediction,
} from '@/data/revenue';
import { nameCause } from '@/data/rules';
import { readStore } from '@/data/store';
import { periodOf, Problem, wholeNumber } from '../http';

const WEEK_MS = 7 * DAY;
/** How old a fit may be. */
const HOLDS_MS = 7 * DAY;
/** By how many people a fit is made: more tell hardly more of four numbers, and the fit must not keep the rest waiting. */
const SAMPLE = 3_000;
/** Fewer people who ordered, or fewer who did so again, say too little. */
const FEWEST = 100;
const FEWEST_AGAIN = 20;
const BATCH = 500;

const weeks = (ms: number): number => Math.max(0, ms / WEEK_MS);
const buyerOf = ({ orders, first_at: first, last_at: last }: BuyerRow, now: Instant): Buyer => ({
  repeats: orders - 1,
  last: weeks(last.getTime() - first.getTime()),
  seen: weeks(now - first.getTime()),
});

/**
 * Fits how people buy, on the store's own orders, once a week: BG/NBD and gamma-gamma, held against the last third of what is known
 * (half a year at most). Then stores what is expected of everybody who has ordered, some hundreds in a transaction; what is cut off
 * goes on the next time. Answers whether it had anything to do.
 */
export async function keepPredictions(db: Db, isNow = false): Promise<boolean> {
  const isFresh = await fit(db, isNow);
  let isMore = false;
  for (; await goOnReckoning(db); isMore = true);
  return isFresh || isMore;
}

async function fit(db: Db, isNow: boolean): Promise<boolean> {
  return inTransaction(db, async (trx) => {
    const [lock] = (await trx.raw<{ rows: { taken: boolean }[] }>(`select pg_try_advisory_xact_lock(hashtext('predictions')) as taken`))
      .rows;
    if (!lock?.taken) return false;
    const { now, currency } = await readStore(trx);
    const last = await lastFit(trx);
    if (!isNow && last && now - last.at.getTime() < HOLDS_MS) return false;
    const rows = await buyerRows(trx, { currency, until: now, limit: SAMPLE, isSample: true });
    if (rows.length < FEWEST || rows.filter(({ orders }) => orders > 1).length < FEWEST_AGAIN) return false;
    const buying = fitBuying(rows.map((row) => buyerOf(row, now)));
    const value = fitValue(rows.map(({ orders, mean_minor: mean }) => ({ orders, mean })));
    if (!buying || !value) return false;
    await keepFit(trx, { at: now, buying, value, people: rows.length, held: await heldOut(trx, rows, currency, now) });
    return true;
  });
}

/** Comes to the next people, by the fit that is being gone through. Answers whether there may be more. */
async function goOnReckoning(db: Db): Promise<boolean> {
  return inTransaction(db, async (trx) => {
    const held = await heldFit(trx);
    if (!held) return false;
    const { currency, zone } = await readStore(trx);
    const now = held.at.getTime();
    const rows = await buyerRows(trx, { currency, until: now, after: held.upto, limit: BATCH });
    const all = rows.map((row) => predicted(row, held, now));
    const none = rows.length < BATCH ? await predictedForNothing(trx, currency, now, BATCH) : [];
    const people = await lockPeople(trx, [...all.map(({ personId }) => personId), ...none].sort(byNumber), false);
    await dropPredictions(trx, none);
    await savePredictions(
      trx,
      all.filter(({ personId }) => people.has(personId)),
    );
    await tellPeople(trx, people, [...all, ...none.map((personId) => ({ personId, value: null }))].map(asTold(currency, zone)), now);
    const isDone = rows.length < BATCH && none.length < BATCH;
    await noteReckoned(trx, held.id, isDone ? null : (rows.at(-1)?.person_id ?? held.upto));
    return !isDone;
  });
}
const byNumber = (one: string, other: string): number => (BigInt(one) < BigInt(other) ? -1 : 1);

/** What marks the attribute as reckoned here: what a shop has computed by itself is left as it is. */
const BY_ORDERS = 'orders';

/** What is expected as rules and messages find it, in amounts of the currency, as coarse as it is sure. */
const asTold =
  (currency: string, zone: string) =>
  (one: Expected | { personId: string; value: null }): { personId: string; value: Value } => ({
    personId: one.personId,
    value:
      'value' in one
        ? null
        : {
            by: BY_ORDERS,
            ordersExpected: Number(one.ordersYear.toFixed(1)),
            valueExpected: Math.round(toMajor({ currency, minor: one.yearMinor })),
            chanceOfBuying: Number(one.chanceYear.toFixed(2)),
            nextOrder: one.nextAt === null ? null : localDate(one.nextAt, zone),
          },
  });

/** Writes it on the people, who are locked: where it is another than it was, and nobody else has said it. */
async function tellPeople(
  trx: Sql,
  people: ReadonlyMap<string, LockedPerson>,
  told: readonly { readonly personId: string; readonly value: Value }[],
  now: Instant,
): Promise<void> {
  const changed = told.filter(({ personId, value }) => {
    const known = people.get(personId)?.row;
    if (!known || known.erased_at) return false;
    const was = known.attributes[PREDICTED] ?? null;
    const isOurs = was === null || valueAt({ was }, 'was.by') === BY_ORDERS;
    return isOurs && !isDeepStrictEqual(was, value);
  });
  await nameCause(trx, 'predictions');
  await changeAttributes(
    trx,
    changed.map(({ personId, value }) => ({ personId, attributes: { [PREDICTED]: value } })),
    now,
  );
  await nameCause(trx, '');
}

/** An order that is expected later than this is not told of. */
const FARTHEST_WEEKS = 104;

type Expected = Prediction & { readonly ordersYear: number };

/** What is expected of somebody. The next order is due when as many as half an order is expected. */
function predicted(row: BuyerRow, { buying, value }: Pick<FitRow, 'buying' | 'value'>, now: Instant): Expected {
  const buyer = buyerOf(row, now);
  const orderMinor = Math.round(Math.max(0, expectedValue(value, row.orders, row.mean_minor)));
  const orders90 = expectedOrders(buying, buyer, 90 / 7);
  const year = expectedOrders(buying, buyer, 365 / 7);
  const next = timeUntilExpected(buying, buyer, 0.5, FARTHEST_WEEKS);
  return {
    personId: row.person_id,
    active: chanceActive(buying, buyer),
    orders90,
    orderMinor,
    yearMinor: Math.round(orderMinor * year),
    nextAt: next === null ? null : Math.round(now + next * WEEK_MS),
    ordersYear: year,
    chanceYear: chanceOfOrder(buying, buyer, 365 / 7),
  };
}

/** How many weeks are kept back at most to hold a fit against. */
const MOST_HELD_WEEKS = 26;

/** Fits by what was known some weeks ago, and holds what that expected of those weeks against what people did; null where too little was known then. */
async function heldOut(sql: Sql, rows: readonly BuyerRow[], currency: string, now: Instant): Promise<HeldOut | null> {
  const oldest = Math.min(...rows.map(({ first_at: at }) => at.getTime()));
  const held = Math.min(MOST_HELD_WEEKS, Math.floor(weeks(now - oldest) / 3));
  if (held < 4) return null;
  const then = now - held * WEEK_MS;
  const known = await buyerRows(sql, { currency, until: then, limit: SAMPLE, isSample: true });
  if (known.length < FEWEST || known.filter(({ orders }) => orders > 1).length < FEWEST_AGAIN) return null;
  const buying = fitBuying(known.map((row) => buyerOf(row, then)));
  if (!buying) return null;
  const did = await ordersBetween(
    sql,
    known.map(({ person_id: id }) => id),
    currency,
    then,
    now,
  );
  const each = known.map((row) => ({
    repeats: row.orders - 1,
    expected: expectedOrders(buying, buyerOf(row, then), held),
    actual: did.get(row.person_id) ?? 0,
  }));
  const sum = (list: typeof each, of: 'expected' | 'actual') => list.reduce((all, one) => all + one[of], 0);
  const groups = [0, 1, 2, 3].flatMap((repeats) => {
    const own = each.filter((one) => (repeats === 3 ? one.repeats >= 3 : one.repeats === repeats));
    return own.length
      ? [
          {
            repeats: repeats === 3 ? '3 or more' : String(repeats),
            people: own.length,
            expected: sum(own, 'expected'),
            actual: sum(own, 'actual'),
          },
        ]
      : [];
  });
  return { weeks: held, people: known.length, expected: sum(each, 'expected'), actual: sum(each, 'actual'), groups };
}

/** What is expected of everybody together, and how well what was expected came true. */
export async function predictions(db: Db): Promise<PredictionsView> {
  const { currency } = await readStore(db);
  const [fit, all] = await Promise.all([lastFit(db), predictedInAll(db)]);
  if (!fit || !all) return { fit: null, currency };
  return {
    currency,
    fit: {
      at: fit.at.toISOString(),
      people: all.people,
      active: all.active,
      orders90: all.orders_90,
      year: Number(all.year_minor),
      high: Number(all.high_minor),
      held: fit.held,
    },
  };
}

/** People by the month of their first order: how many of them came back in each month after, how often and for how much. */
export async function cohorts(db: Db, url: URL): Promise<CohortsView> {
  const { now, zone, currency } = await readStore(db);
  const months = wholeNumber(url, 'months', { least: 1, most: 36, otherwise: 12 });
  const product = url.searchParams.get('product')?.slice(0, 120) || null;
  const source = url.searchParams.get('source')?.slice(0, 120) || null;
  if (product && source)
    throw new Problem(400, 'Not both', 'Cohorts are split by the product of the first order or by its source, not by both.', [
      { field: 'source', wrong: 'stands beside product', right: 'one of them' },
    ]);
  const rows = await cohortRows(db, { currency, zone, now, months, product, source });
  const by = new Map<string, CohortsView['cohorts'][number]['later'][number][]>();
  for (const { month, later, people, orders, minor } of rows) {
    const known = by.get(month) ?? [];
    known[later] = { people, orders, revenue: Number(minor) };
    by.set(month, known);
  }
  return {
    currency,
    cohorts: [...by].map(([month, later]) => ({
      month,
      people: later[0]?.people ?? 0,
      later: Array.from(later, (one) => one ?? { people: 0, orders: 0, revenue: 0 }),
    })),
  };
}

const FORWARD = ['lead', 'first', 'second'] as const;
/** The days by which it is said how many have gone on. */
const BY_DAYS = [30, 90, 365] as const;

/** How people who took a step in a period have gone on since: to the first order, to the second, to the third. */
export async function forward(db: Db, url: URL): Promise<ForwardView> {
  const store = await readStore(db);
  const { from, to } = periodOf(url, store);
  const { now, zone, currency } = store;
  const rows = await forwardRows(db, { from, to, now, zone, currency });
  return {
    from: new Date(from).toISOString(),
    to: new Date(to).toISOString(),
    steps: FORWARD.map((step) =>
      forwardStep(
        step,
        rows.filter((row) => row.step === step),
        now,
      ),
    ),
  };
}

const people = (rows: readonly ForwardRow[]): number => rows.reduce((sum, row) => sum + row.people, 0);
const wentOn = (rows: readonly ForwardRow[]): number => people(rows.filter(({ happened }) => happened));
const curveOf = (rows: readonly ForwardRow[]) =>
  survivalCurve(rows.map(({ days, happened, people: many }) => ({ time: days, happened, many })));

function forwardStep(step: ForwardRow['step'], rows: readonly ForwardRow[], now: Instant): ForwardView['steps'][number] {
  const curve = curveOf(rows);
  const seen = rows.reduce((most, { days }) => Math.max(most, days), 0);
  const months = [...new Set(rows.map(({ month }) => month))].sort();
  return {
    step,
    people: people(rows),
    wentOn: wentOn(rows),
    seen,
    half: timeUntil(curve, 0.5),
    within: BY_DAYS.filter((days) => days <= seen).map((days) => ({ days, ...happenedWithin(curve, days) })),
    curve: curve.map((step) => {
      const { share, low, high } = happenedBy(step);
      return { days: step.time, back: share, low, high };
    }),
    months: months.map((month) => {
      const own = rows.filter((row) => row.month === month);
      // of a month that is not so long ago only those have been seen who went on soon
      const isSeen = Date.parse(`${month}-01T00:00:00Z`) + 90 * DAY <= now;
      return { month, people: people(own), wentOn: wentOn(own), within90: isSeen ? happenedWithin(curveOf(own), 90) : null };
    }),
  };
}
