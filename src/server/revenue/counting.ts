import type { LedgerStanding, RevenueSettingsView } from '@/core/api';
import { revenueSettingsSchema, sayCounted } from '@/core/revenue';
import { HOUR, startOfDay, type Instant } from '@/core/time';
import { writeSetting } from '@/data/access';
import { inTransaction, type Db } from '@/data/db';
import { lockPeople } from '@/data/people';
import { beginRebuild, keepCheck, lastCheck, ledgerDifferences, nextOfRebuild, noteRebuilt, rebuildNow, sumDays } from '@/data/revenue';
import { readStore, recordAct } from '@/data/store';
import { Problem, problemsOf } from '../http';
import { settleAnew } from '../ingest';

/** How the store counts its revenue, in words too, and whether the ledger stands so by now. */
export async function revenueSettings(db: Db): Promise<RevenueSettingsView> {
  const { revenue } = await readStore(db);
  return { settings: revenue, counted: sayCounted(revenue), ...(await ledgerStanding(db)) };
}

/** What the last check of the ledger has found, and how far a rebuild has come. */
export async function ledgerStanding(db: Db): Promise<LedgerStanding> {
  const [check, rebuild] = await Promise.all([lastCheck(db), rebuildNow(db)]);
  return {
    check: check && {
      at: check.at.toISOString(),
      orders: check.orders,
      differences: check.differences.length,
      examples: check.differences.slice(0, 5).map(({ order_id: orderId, what }) => ({ orderId, what })),
    },
    rebuild,
  };
}

/** Sets how revenue is counted. What changes the ledger has it computed anew for everybody, from their events; the figures change as that goes on. */
export async function writeRevenueSettings(db: Db, body: unknown, by: string): Promise<RevenueSettingsView> {
  const parsed = revenueSettingsSchema.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not settings', 'Nothing was changed.', problemsOf(parsed.error));
  await inTransaction(db, async (trx) => {
    const { now, revenue } = await readStore(trx);
    await writeSetting(trx, 'revenue', parsed.data);
    // which model is shown changes no credit
    const isSame = JSON.stringify({ ...revenue, model: '' }) === JSON.stringify({ ...parsed.data, model: '' });
    if (!isSame) await beginRebuild(trx);
    await recordAct(trx, now, by, 'revenue.changed', parsed.data);
  });
  return revenueSettings(db);
}

const BATCH = 200;
/** How long one turn of a rebuild goes on, so that the rest of the housekeeping has its turn. */
const TURN_MS = 8_000;

/** Goes on with a rebuild of the ledger, if one is under way: some people at a time, each in place of what was on file. */
export async function goOnRebuilding(db: Db, forMs = TURN_MS): Promise<void> {
  const until = Date.now() + forMs;
  for (let isMore = true; isMore && Date.now() < until;) {
    isMore = await inTransaction(db, async (trx) => {
      const people = await nextOfRebuild(trx, BATCH);
      if (!people) return false;
      const store = await readStore(trx);
      await lockPeople(trx, people);
      await settleAnew(trx, people, store);
      await noteRebuilt(trx, people.length < BATCH ? null : people.at(-1)!);
      return people.length === BATCH;
    });
  }
}

/** Sums up the days that have changed: some at a time, until none is left or the time is up. */
export async function keepSums(db: Db, forMs = TURN_MS): Promise<void> {
  const until = Date.now() + forMs;
  for (let isMore = true; isMore && Date.now() < until;)
    isMore = await inTransaction(db, async (trx) => {
      await trx.raw('set transaction isolation level repeatable read');
      return (await sumDays(trx, (await readStore(trx)).now)) > 0;
    });
}

/** At which hour of the store's day the ledger is checked. */
const CHECKED_AT = 4 * HOUR;

/** Checks the ledger once a night, after four, and keeps what it finds; not while a rebuild is under way. */
export async function checkNightly(db: Db): Promise<void> {
  const { now, zone } = await readStore(db);
  const due = nightOf(now, zone);
  const last = await lastCheck(db);
  if ((last && last.at.getTime() >= due) || (await rebuildNow(db))) return;
  await checkLedger(db);
}

/** The latest four o'clock of the store up to a moment. */
function nightOf(now: Instant, zone: string): Instant {
  const today = startOfDay(now, zone) + CHECKED_AT;
  return today <= now ? today : startOfDay(startOfDay(now, zone) - HOUR, zone) + CHECKED_AT;
}

/** Checks the ledger now: computes a second time, from the events, what it says. */
export async function checkLedger(db: Db): Promise<LedgerStanding> {
  const began = Date.now();
  const { now, revenue } = await readStore(db);
  const countsAll = !revenue.without.tax && !revenue.without.shipping && !revenue.beforeDiscount;
  const { orders, differences } = await inTransaction(db, async (trx) => {
    await trx.raw('set transaction isolation level repeatable read, read only');
    return ledgerDifferences(trx, countsAll);
  });
  await keepCheck(db, { at: now, orders, differences, tookMs: Date.now() - began });
  return ledgerStanding(db);
}
