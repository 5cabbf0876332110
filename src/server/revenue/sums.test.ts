import fc from 'fast-check';
import { afterAll, beforeAll, beforeEach, expect, it } from 'vitest';
import { DAY, HOUR } from '@/core/time';
import { query } from '@/data/db';
import { creditedByModel, creditedBySource, ledgerDifferences, otherCurrencies, revenueByDay, revenueTotals } from '@/data/revenue';
import { moveClockTo } from '@/data/store';
import { happening, openLab, type Lab } from '../testing/lab';
import { keepSums } from '.';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab();
});
afterAll(() => lab.close());
beforeEach(() => lab.empty());

const ZONE_DAYS = 12;
/** Everything that is read from sums, over a period. */
async function told(from: number, to: number) {
  const model = 'even';
  return {
    totals: await revenueTotals(lab.db, from, to, model),
    sources: await creditedBySource(lab.db, from, to, model),
    models: (await creditedByModel(lab.db, from, to, 'EUR')).map((row) => JSON.stringify(row)).sort(),
    days: await revenueByDay(lab.db, from, to, 'EUR', model),
    weeks: await revenueByDay(lab.db, from, to, 'EUR', model, 'week'),
    others: await otherCurrencies(lab.db, { from, to, currency: 'EUR', model }),
  };
}
/** The same from the rows alone: nothing is taken for summed up. */
async function fromRows(from: number, to: number) {
  const kept = await query<{ day: string }>(lab.db, `select day::text from summed_days`);
  await query(lab.db, 'delete from summed_days');
  const rows = await told(from, to);
  for (const { day } of kept) await query(lab.db, 'insert into summed_days values (cast(:day as date))', { day });
  return rows;
}
/** Books a part of an order, once; what is credited of it stands at the moment of the booking, as everything of a part does. */
async function book(n: number, minor: number, at: number, part: number, currency: string, share: number): Promise<void> {
  const of = { n, order: `o${n}`, part };
  await query(
    lab.db,
    `insert into bookings (person_id, order_id, part, minor, currency, at) values (:n, :order, :part, :minor, :currency, :at) on conflict do nothing`,
    { ...of, minor, currency, at: new Date(at) },
  );
  await Promise.all(
    ['even', 'last-click'].map((model) =>
      query(
        lab.db,
        `insert into credits (person_id, order_id, send_id, model, part, flow_id, step_id, because, minor, currency, placed_at)
         select :n, :order, s, :model, :part, (select min(id) from flows), 'step-' || s, 'click', :minor, b.currency, b.at
         from bookings b, generate_series(1, :share) s
         where b.person_id = :n and b.order_id = :order and b.part = :part on conflict do nothing`,
        { ...of, model, minor, share },
      ),
    ),
  );
}

it(
  'law: whatever is booked, changed and taken away, summed up or not yet, the sums are what the rows say',
  { timeout: 240_000 },
  async () => {
    const now = await lab.now();
    const start = now - ZONE_DAYS * DAY;
    const act = fc.oneof(
      {
        weight: 6,
        arbitrary: fc.record({
          kind: fc.constant('book' as const),
          n: fc.integer({ min: 1, max: 8 }),
          part: fc.integer({ min: 0, max: 1 }),
          minor: fc.integer({ min: -500, max: 5000 }),
          at: fc.integer({ min: 0, max: ZONE_DAYS * 24 * 4 }),
          currency: fc.constantFrom('EUR', 'EUR', 'USD'),
          share: fc.integer({ min: 0, max: 2 }),
        }),
      },
      { weight: 2, arbitrary: fc.record({ kind: fc.constant('sum' as const) }) },
      { weight: 1, arbitrary: fc.record({ kind: fc.constant('change' as const), n: fc.integer({ min: 1, max: 8 }) }) },
      { weight: 1, arbitrary: fc.record({ kind: fc.constant('take' as const), n: fc.integer({ min: 1, max: 8 }) }) },
    );
    await fc.assert(
      fc.asyncProperty(
        fc.array(act, { minLength: 3, maxLength: 14 }),
        fc.integer({ min: 0, max: ZONE_DAYS * 24 }),
        fc.integer({ min: 0, max: ZONE_DAYS * 24 }),
        async (acts, one, other) => {
          await query(lab.db, 'truncate bookings, credits');
          for (const step of acts) {
            if (step.kind === 'book') await book(step.n, step.minor, start + (step.at * HOUR) / 4, step.part, step.currency, step.share);
            else if (step.kind === 'sum') await keepSums(lab.db);
            else if (step.kind === 'change')
              for (const [table, at] of [
                ['bookings', 'at'],
                ['credits', 'placed_at'],
              ])
                await query(lab.db, `update ${table} set minor = minor + 7, ${at} = ${at} - interval '25 hours' where person_id = :n`, {
                  n: step.n,
                });
            else
              for (const table of ['bookings', 'credits']) await query(lab.db, `delete from ${table} where person_id = :n`, { n: step.n });
          }
          const [from, to] = [start + Math.min(one, other) * HOUR, start + Math.max(one, other) * HOUR];
          expect(await told(from, to)).toEqual(await fromRows(from, to));
          await keepSums(lab.db);
          expect(await told(from, to)).toEqual(await fromRows(from, to));
          expect((await ledgerDifferences(lab.db, false)).differences.filter(({ what }) => what.includes('sums of the day'))).toEqual([]);
        },
      ),
      { numRuns: 25 },
    );
  },
);

it('a new order is in the figures at once, also one of a day that was summed up; the next turn sums that day up anew', async () => {
  const now = await lab.now();
  const sell = (orderId: string, value: number, daysAgo: number) =>
    lab.tell(
      happening(
        'order.placed',
        { orderId, currency: 'EUR', value, person: { email: 'kim@example.com' } },
        { time: new Date(now - daysAgo * DAY).toISOString() },
      ),
    );
  const takings = async () => Number((await revenueTotals(lab.db, now - 30 * DAY, now + DAY, 'even'))[0]?.takings ?? 0);
  await sell('o1', 10, 5);
  await keepSums(lab.db);
  const summed = await query(lab.db, 'select 1 from summed_days');
  expect(summed.length).toBeGreaterThanOrEqual(5);
  await sell('o2', 20, 5);
  expect(await takings()).toBe(3_000);
  await sell('o3', 1, 0);
  expect(await takings()).toBe(3_100);
  await keepSums(lab.db);
  expect(await query(lab.db, 'select 1 from stale_days n join summed_days using (day)')).toEqual([]);
  expect(await takings()).toBe(3_100);
  // a sum that is not what its rows say is found by the nightly check
  await query(lab.db, 'update takings_days set takings = takings + 1 where takings = 3000');
  expect((await ledgerDifferences(lab.db, true)).differences.map(({ what }) => what)).toEqual([
    'the sums of the day are kept as 3001 and not as 3000',
  ]);
  await moveClockTo(lab.db, now + 2 * DAY);
});

it('what is stored while days are summed up is not lost: its note is left', async () => {
  const now = await lab.now();
  const at = now - 3 * DAY;
  await book(1, 1_000, at, 0, 'EUR', 1);
  // a transaction that began before the days are summed up, and ends after
  await lab.db.transaction(async (trx) => {
    await trx.raw(`insert into bookings (person_id, order_id, part, minor, currency, at) values (2, 'o2', 0, 500, 'EUR', ?)`, [
      new Date(at),
    ]);
    await keepSums(lab.db);
  });
  expect(Number((await revenueTotals(lab.db, at - DAY, now, 'even'))[0]!.takings)).toBe(1_500);
  await keepSums(lab.db);
  expect(Number((await revenueTotals(lab.db, at - DAY, now, 'even'))[0]!.takings)).toBe(1_500);
});
