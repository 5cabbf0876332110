import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { DAY, HOUR } from '@/core/time';
import { query } from '@/data/db';
import { eraseById, personView } from '../people';
import { happening, openLab, type Lab } from '../testing/lab';
import { again, cohorts, forward, keepPredictions, predictions } from '.';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(() => lab.empty('prediction_fits'));
const url = (params = '') => new URL(`http://x/?${params}`);
const order = (email: string, orderId: string, value: number, time: number, items: object[] = []) =>
  happening('order.placed', { orderId, currency: 'EUR', value, items, person: { email } }, { time: new Date(time).toISOString() });

describe('cohorts', () => {
  it('are people by the month of their first order, with who came back in each month after, how often and for how much', async () => {
    const at = (day: string) => Date.parse(`${day}T12:00:00Z`);
    const now = await lab.now();
    const month = (back: number) => {
      const date = new Date(now);
      return new Date(Date.UTC(date.getUTCFullYear(), date.getUTCMonth() - back, 1)).toISOString().slice(0, 7);
    };
    await lab.tell([
      order('a@example.com', 'a1', 10, at(`${month(3)}-05`), [{ sku: 'T1' }]),
      order('a@example.com', 'a2', 20, at(`${month(2)}-05`)),
      order('a@example.com', 'a3', 30, at(`${month(2)}-25`)),
      order('b@example.com', 'b1', 40, at(`${month(3)}-28`)),
      order('c@example.com', 'c1', 50, at(`${month(1)}-10`), [{ sku: 'T1' }]),
    ]);
    const all = await cohorts(lab.db, url());
    expect(all.cohorts).toEqual([
      {
        month: month(3),
        people: 2,
        later: [
          { people: 2, orders: 2, revenue: 5_000 },
          { people: 1, orders: 2, revenue: 5_000 },
        ],
      },
      { month: month(1), people: 1, later: [{ people: 1, orders: 1, revenue: 5_000 }] },
    ]);
    expect((await cohorts(lab.db, url('product=T1'))).cohorts.map(({ month: first, people }) => [first, people])).toEqual([
      [month(3), 1],
      [month(1), 1],
    ]);
    expect((await cohorts(lab.db, url('months=2'))).cohorts).toHaveLength(1);
    await expect(cohorts(lab.db, url('product=T1&source=x'))).rejects.toMatchObject({ status: 400 });
  });
});

describe('how people go on', () => {
  it('from being known to the first order, to the second, to the third: who, how many, and within how many days', async () => {
    const now = await lab.now();
    const known = (email: string, ago: number) =>
      happening('account.created', { id: email, person: { email } }, { time: new Date(now - ago * DAY).toISOString() });
    const placed = (email: string, ...ago: number[]) => ago.map((days, n) => order(email, `${email}-${n}`, 20, now - days * DAY + 1000));
    const count = async () => {
      const view = await forward(lab.db, url(`from=${new Date(now - 200 * DAY).toISOString()}`));
      return Object.fromEntries(view.steps.map((step) => [step.step, step]));
    };
    const before = await count();
    await lab.tell([
      // known 100 days ago: one ordered after 20 days and again after 30 more, one after 95, two have not
      known('f1@example.com', 100),
      known('f2@example.com', 100),
      known('f3@example.com', 100),
      known('f4@example.com', 100),
      ...placed('f1@example.com', 80, 50),
      ...placed('f2@example.com', 5),
      // known by their first order, never a lead
      ...placed('f5@example.com', 60, 40, 10),
      // known before the period; a first order is a step of the period all the same
      known('f6@example.com', 300),
      ...placed('f6@example.com', 30),
    ]);
    const after = await count();
    const more = (step: string, of: 'people' | 'wentOn') => after[step]![of] - before[step]![of];
    expect(['lead', 'first', 'second'].map((step) => [more(step, 'people'), more(step, 'wentOn')])).toEqual([
      [4, 2],
      [4, 2],
      [2, 1],
    ]);
    // of the four who were known in one month half had ordered by the 95th day, and one of them within 90
    const [month] = after.lead!.months.filter(({ people, wentOn }) => people === 4 && wentOn === 2);
    expect(month!.within90!.share).toBeCloseTo(0.25, 9);
    for (const { within, curve } of Object.values(after)) {
      for (const { share, low, high } of within) expect([low <= share, share <= high]).toEqual([true, true]);
      for (const [n, one] of curve.entries()) expect(one.back).toBeGreaterThanOrEqual(curve[n - 1]?.back ?? 0);
    }
    // a month whose 90 days are over for nobody has no share yet
    expect(after.second!.months.find(({ month: of }) => of === new Date(now - 40 * DAY).toISOString().slice(0, 7))!.within90).toBeNull();
  });
});

describe('when the same is bought again', () => {
  it('is counted from each time to the next, product by product; who has not yet counts for as long as they were seen', async () => {
    const now = await lab.now();
    const at = (days: number) => now - days * DAY - HOUR;
    const events = [
      // thirty bought food every 40 days: 120, 80 and 40 days ago
      ...Array.from({ length: 30 }, (_, n) =>
        [120, 80, 40].map((days) => order(`g${n}@example.com`, `g${n}-${days}`, 10, at(days), [{ sku: 'FOOD' }])),
      ).flat(),
      // ten bought it once, and something else since
      ...Array.from({ length: 10 }, (_, n) => [
        order(`h${n}@example.com`, `h${n}-1`, 10, at(100), [{ sku: 'FOOD' }]),
        order(`h${n}@example.com`, `h${n}-2`, 10, at(50), [{ sku: 'NET' }, { sku: 'FOOD-2' }]),
      ]).flat(),
    ];
    for (let from = 0; from < events.length; from += 100) await lab.tell(events.slice(from, from + 100));
    const food = (await again(lab.db, url(`from=${new Date(now - 200 * DAY).toISOString()}`))).lines.find(({ key }) => key === 'FOOD')!;
    // three times each of thirty and once each of ten; two of the three were followed by another
    expect(food).toMatchObject({ bought: 100, again: 60, seen: 100, quarter: 40, half: 40, most: 40, curve: null });
    // at 40 days 100 are at risk and 60 have come back: the rest are seen for 40 days or longer
    expect(food.within.find(({ days }) => days === 60)!.share).toBeCloseTo(0.6, 9);
    expect(food.within.find(({ days }) => days === 30)!.share).toBe(0);
    const [one] = (await again(lab.db, url(`from=${new Date(now - 200 * DAY).toISOString()}&key=FOOD`))).lines;
    expect(one!.curve).toEqual([expect.objectContaining({ days: 40, back: expect.closeTo(0.6, 9) as number })]);
    // nets were bought ten times and never again: nothing is proposed
    const net = (await again(lab.db, url(`from=${new Date(now - 200 * DAY).toISOString()}&key=NET`))).lines[0]!;
    expect(net).toMatchObject({ bought: 10, again: 0, half: null });
    await expect(again(lab.db, url('by=colour'))).rejects.toMatchObject({ status: 400 });
  });
});

describe('what is expected of people', () => {
  it('is fitted on the store’s own orders, held against what came, and stands on each person’s page', async () => {
    expect((await predictions(lab.db)).fit).toBeNull();
    const now = await lab.now();
    // a third buys every three weeks, the rest once; all for the last year
    const events = Array.from({ length: 150 }, (_, n) => {
      const email = `p${n}@example.com`;
      const first = now - (360 - ((n * 37) % 200)) * DAY;
      const times = n % 3 ? [first] : Array.from({ length: 30 }, (__, m) => first + m * 21 * DAY).filter((at) => at < now);
      return times.map((at, m) => order(email, `${n}-${m}`, 20 + (n % 5) * 10, at));
    }).flat();
    for (let from = 0; from < events.length; from += 400) await lab.tell(events.slice(from, from + 400));
    await lab.tell(happening('account.created', { person: { email: 'p3@example.com', predicted: { chanceOfBuying: 0.77 } } }));
    expect(await keepPredictions(lab.db)).toBe(true);
    expect(await keepPredictions(lab.db)).toBe(false);
    const { fit } = await predictions(lab.db);
    expect(fit!.people).toBe(150);
    expect(fit!.held!.weeks).toBeGreaterThanOrEqual(4);
    // what was expected came true within a quarter: people here are more regular than the model takes them for
    expect(fit!.held!.expected / fit!.held!.actual).toBeGreaterThan(0.75);
    expect(fit!.held!.expected / fit!.held!.actual).toBeLessThan(1.25);
    const of = async (email: string) => {
      const [row] = await query<{ id: string }>(lab.db, 'select id from people where email = :email', { email });
      return (await personView(lab.db, `~${row!.id}`)).predicted!;
    };
    const [often, once] = [await of('p0@example.com'), await of('p1@example.com')];
    expect(often.orders90).toBeGreaterThan(2);
    expect(often.orders90).toBeGreaterThan(once.orders90 * 3);
    expect(often.year.minor).toBeGreaterThan(once.year.minor);
    expect(Date.parse(often.nextAt!) - now).toBeLessThan(40 * DAY);
    // rules and messages find it on the person; what the shop itself has told of somebody stays
    const told = async (email: string) =>
      (await query<{ attributes: Record<string, unknown> }>(lab.db, 'select attributes from people where email = :email', { email }))[0]!
        .attributes.predicted;
    expect(await told('p0@example.com')).toMatchObject({ by: 'orders', valueExpected: Math.round(often.year.minor / 100) });
    expect(await told('p3@example.com')).toMatchObject({ chanceOfBuying: 0.77 });
    const causes = await query<{ cause: string }>(
      lab.db,
      `select distinct cause from fact_changes where kind = 'attribute' and name = 'predicted'`,
    );
    expect(causes).toEqual(expect.arrayContaining([{ cause: 'predictions' }]));
    // whose only order is taken back is expected to place none: at the next fit nothing is left of it
    const [back] = await query<{ id: string }>(lab.db, `select id from people where email = 'p2@example.com'`);
    await lab.tell(happening('order.cancelled', { orderId: '2-0', currency: 'EUR', person: { email: 'p2@example.com' } }));
    expect(await query(lab.db, 'select 1 from predictions where person_id = :id', { id: back!.id })).toHaveLength(1);
    expect(await keepPredictions(lab.db, true)).toBe(true);
    expect(await query(lab.db, 'select 1 from predictions where person_id = :id', { id: back!.id })).toEqual([]);
    expect(await told('p2@example.com')).toBeUndefined();
    const [gone] = await query<{ id: string }>(lab.db, `select id from people where email = 'p0@example.com'`);
    await eraseById(lab.db, `~${gone!.id}`, 'Marla');
    expect(await query(lab.db, 'select 1 from predictions where person_id = :id', { id: gone!.id })).toEqual([]);
  });
});
