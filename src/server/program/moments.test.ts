import { afterAll, beforeAll, expect, it } from 'vitest';
import fc from 'fast-check';
import { ANY_OFFERS, drawsAndAsks, issuesCodes } from '@/core/flows/testing/asking';
import { connect, query, type Db } from '@/data/db';
import { drain } from '../flows';
import { putOffer } from '../offers';
import { moveClockTo } from '@/data/store';
import { HOUR } from '@/core/time';
import { happening, openLab, type Lab } from '../testing/lab';

/** Twins of the same store: one lives undisturbed, of the other the connection is cut at random moments while it moves runs. */
let [calm, cut]: (Lab | null)[] = [null, null];
beforeAll(async () => {
  calm = await openLab({ flow: null });
  cut = await openLab({ flow: null });
});
afterAll(async () => {
  await calm?.close();
  await cut?.close();
});

const PEOPLE = 40;
const MOMENTS = 100;

/** What has become of everybody: how far each run went, and what it did. */
const outcome = async (db: Db) => ({
  runs: await query(
    db,
    `select p.email, f.key as flow, r.key, r.phase, r.step, r.outcome, r.effects, r.seq, r.arms from runs r join flows f on f.id = r.flow_id
       join people p on p.id = r.person_id order by 1, 2, 3`,
  ),
  traces: await query(
    db,
    `select p.email, f.key as flow, t.seq, t.kind, t.step_id, t.arm from traces t join runs r on r.person_id = t.person_id and r.id = t.run_id
       join flows f on f.id = r.flow_id join people p on p.id = r.person_id order by 1, 2, r.key, 3`,
  ),
  sends: await query(db, `select p.email, s.step_id, s.visit from sends s join people p on p.id = s.person_id order by 1, 2, 3`),
  recorded: await query(
    db,
    `select p.email, e.type, count(*)::int as n from events e join people p on p.id = e.person_id where e.source = 'viatic' group by 1, 2 order by 1, 2`,
  ),
});

it('a hundred cuts at random moments change no outcome: nothing is lost and nothing is done twice', async () => {
  const labs = [calm!, cut!] as const;
  const start = await labs[0].now();
  const told = Array.from({ length: PEOPLE }, (_, n) => [
    happening('cart.updated', {
      cartId: `c${n}`,
      value: 20 + n * 5,
      currency: 'EUR',
      items: [{ sku: 'T1', name: 'Tank', price: 20 + n * 5, quantity: 1 }],
      person: { email: `p${n}@example.com`, consent: { email: true } },
    }),
    // every other one orders
    ...(n % 2
      ? []
      : [
          happening('order.placed', {
            orderId: `o${n}`,
            value: 30 + n,
            currency: 'EUR',
            person: { email: `p${n}@example.com`, consent: { email: true } },
          }),
        ]),
  ]).flat();
  for (const lab of labs) {
    await moveClockTo(lab.db, start + HOUR);
    for (const [key, offer] of ANY_OFFERS) await putOffer(lab.db, key, offer, 'test');
    await lab.addFlow('codes', issuesCodes);
    await lab.addFlow('draws', drawsAndAsks);
    await lab.tell(told);
  }
  const random = fc.sample(fc.integer({ min: 0, max: 60 }), { numRuns: MOMENTS, seed: 20_261_126 });
  const killer = connect(labs[1].url, 1);
  // the worker whose connections are cut is told from the others by this name
  const own = connect(`${labs[1].url}?application_name=own`, 3);
  let cuts = 0;
  for (let hour = 1; hour <= 24 * 10; hour += 6) {
    for (const lab of labs) await moveClockTo(lab.db, start + hour * HOUR);
    await drain(labs[0].db);
    // as often as there are moments left for this stretch
    for (let tries = 0; ; tries++) {
      const wait = cuts < MOMENTS && tries < 3 ? random[cuts]! : null;
      const working = drain(own).then(
        () => true,
        () => false,
      );
      if (wait !== null) {
        await new Promise((resolve) => setTimeout(resolve, wait));
        await query(
          killer,
          `select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and application_name = 'own'`,
        ).catch(() => undefined);
        cuts += 1;
      }
      if ((await working) && wait === null) break;
    }
  }
  await killer.destroy();
  await own.destroy().catch(() => undefined);
  expect(cuts).toBe(MOMENTS);
  const [one, other] = [await outcome(labs[0].db), await outcome(labs[1].db)];
  expect(new Set(one.sends.map((send) => (send as { step_id: string }).step_id)).size).toBeGreaterThan(2);
  expect(other).toEqual(one);
});
