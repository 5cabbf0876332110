import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { flowWith } from '@/core/flows/testing/asking';
import { DAY } from '@/core/time';
import { query } from '@/data/db';
import { happening, openLab, type Lab } from '../testing/lab';
import { forget, storeSettings, writeKept, writeStore } from '.';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(() => lab.empty('flows', 'flow_versions', 'flow_occasions', 'settings'));

const count = async (from: string) => (await query<{ n: number }>(lab.db, `select count(*)::int as n from ${from}`))[0]!.n;
const acts = (what: string) => query<{ changes: object[] }>(lab.db, 'select changes from acts where what = :what order by id', { what });

describe('store and privacy', () => {
  it('says another name and address from now on, and what they were stands in the log', async () => {
    const { name, address, fromEmail } = await storeSettings(lab.db);
    const is = { name: 'Quillfin and daughters', address: 'Sluiskade 15', fromEmail: 'ahoy@quillfin.example' };
    expect(await writeStore(lab.db, is, 'Marla')).toMatchObject(is);
    expect(await acts('store.changed')).toEqual([
      {
        changes: [
          {
            of: 'store',
            key: is.name,
            was: { name, address, from_email: fromEmail },
            is: { name: is.name, address: is.address, from_email: is.fromEmail },
          },
        ],
      },
    ]);
    // in which languages it writes is left as it is where nothing is said of it
    expect(await writeStore(lab.db, { ...is, languages: ['nl', 'en', 'nl'] }, 'Marla')).toMatchObject({ languages: ['nl', 'en'] });
    expect(await writeStore(lab.db, is, 'Marla')).toMatchObject({ languages: ['nl', 'en'] });
    expect(await acts('store.changed')).toMatchObject([
      {},
      { changes: [{ was: { languages: ['en'] }, is: { languages: ['nl', 'en'] } }] },
      { changes: [] },
    ]);
    for (const wrong of [
      { ...is, languages: [] },
      { ...is, languages: ['Dutch'] },
      { ...is, name: ' ' },
      { ...is, fromEmail: 'nobody' },
      { ...is, zone: 'UTC' },
    ])
      await expect(writeStore(lab.db, wrong, 'Marla')).rejects.toMatchObject({ status: 422 });
    await writeStore(lab.db, { name, address, fromEmail }, 'Marla');
  });

  it('forgets what people looked at after so many months, and never orders; nothing where it is kept for ever', async () => {
    const long = (await lab.now()) - 200 * DAY;
    const at = { time: new Date(long).toISOString() };
    const person = { email: 'robin@example.com', consent: { email: true } };
    await lab.tell([
      happening('order.placed', { orderId: 'o1', currency: 'EUR', value: 50, person }),
      happening('page.viewed', { url: 'https://quillfin.example/', person }),
      happening('product.viewed', { sku: 'QF-T060', person }),
    ]);
    await query(lab.db, `update events set time = :at where type <> 'order.placed'`, { at: at.time }).catch(async () => {
      // months have partitions of their own
      await query(lab.db, `select make_event_months(cast(:day as date), 4)`, { day: at.time.slice(0, 10) });
      await query(lab.db, `update events set time = :at where type <> 'order.placed'`, { at: at.time });
    });
    expect(await forget(lab.db)).toBe(0);
    await writeKept(lab.db, { bodiesDays: 30, browsingMonths: 6, tracesMonths: null }, 'Marla');
    expect(await forget(lab.db)).toBe(2);
    expect(await forget(lab.db)).toBe(0);
    expect(await count(`events where type in ('page.viewed', 'product.viewed')`)).toBe(0);
    expect(await count('orders')).toBe(1);
    expect(await acts('kept.changed')).toHaveLength(1);
    await expect(writeKept(lab.db, { bodiesDays: 0, browsingMonths: 1, tracesMonths: null }, 'Marla')).rejects.toMatchObject({
      status: 422,
    });
  });

  it('forgets why decisions were made once their run has ended for so long', async () => {
    await lab.addFlow('news', flowWith({ steps: [{ id: 'w', kind: 'wait', for: 'P1D' }] }));
    await lab.tell(
      ['a', 'b'].map((one) =>
        happening('order.placed', {
          orderId: one,
          currency: 'EUR',
          value: 50,
          person: { email: `${one}@example.com`, consent: { email: true } },
        }),
      ),
    );
    await lab.pass('P2D');
    const before = await count('traces');
    expect(before).toBeGreaterThan(3);
    await query(lab.db, `update runs set ended_at = ended_at - interval '90 days' where person_id = (select min(person_id) from runs)`);
    await writeKept(lab.db, { bodiesDays: 30, browsingMonths: null, tracesMonths: 2 }, 'Marla');
    expect(await forget(lab.db)).toBe(before / 2);
    expect(await count('runs')).toBe(2);
  });
});
