import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { flowWith } from '@/core/flows/testing/asking';
import { CREDIT_MODELS, usualRevenue, type RevenueSettings } from '@/core/revenue';
import { DAY, HOUR, MINUTE } from '@/core/time';
import { query } from '@/data/db';
import { ledgerDifferences, splitRevenue } from '@/data/revenue';
import { recordOwn } from '../ingest';
import { mergePeople, putSegment } from '../people';
import { dropRates, storeRates } from '../places';
import { happening, openLab, type Lab } from '../testing/lab';
import {
  checkLedger,
  checkNightly,
  goOnRebuilding,
  ledgerPage,
  orderCredits,
  revenueReport,
  revenueSettings,
  writeRevenueSettings,
} from '.';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(async () => {
  lab.inbox.length = 0;
  await lab.empty('flows', 'flow_versions', 'segments', 'segment_members', 'ledger_checks', 'ledger_rebuilds');
  await query(lab.db, `delete from settings where name = 'revenue'`);
});

const url = (params = '') => new URL(`http://x/?${params}`);
const letter = (id: string) => ({
  id,
  kind: 'send' as const,
  name: `Letter ${id}`,
  message: {
    schema: 'viatic.message/1' as const,
    channel: 'email' as const,
    kind: 'marketing' as const,
    subject: id,
    preview: '',
    blocks: [{ id: 'b1', kind: 'text' as const, text: 'x' }],
  },
});
/** Three letters to somebody, of which they did something with each so long ago, in days; then they order. */
async function orderAfter(email: string, orderId: string, clicks: readonly (number | null)[], data: object = {}) {
  await lab.tell(happening('account.created', { id: email, person: { email, consent: { email: true } } }));
  await lab.settle();
  const sends = await query<{ id: string; person_id: string; step_id: string }>(
    lab.db,
    `select s.id, s.person_id, s.step_id from sends s join people p on p.id = s.person_id where p.email = :email order by s.step_id`,
    { email },
  );
  const now = await lab.now();
  for (const [n, daysAgo] of clicks.entries()) {
    const { id, person_id: personId, step_id: step } = sends[n]!;
    if (daysAgo !== null)
      await recordOwn(lab.db, {
        personId,
        type: 'message.clicked',
        eventId: `message.clicked/${id}`,
        properties: { sendId: id, flow: 'news', step, channel: 'email', url: 'https://shop.example/' },
        at: now - daysAgo * DAY,
      });
  }
  await lab.tell(
    happening(
      'order.placed',
      { orderId, currency: 'EUR', value: 100, person: { email }, ...data },
      { time: new Date(now - MINUTE).toISOString() },
    ),
  );
  return { personId: sends[0]!.person_id };
}
const news = () =>
  lab.addFlow(
    'news',
    flowWith({
      name: 'News',
      triggers: [{ id: 'start', kind: 'event', event: 'account.created', key: 'id' }],
      steps: ['a', 'b', 'c'].map(letter),
    }),
  );
const by = async (model: string) =>
  Object.fromEntries(
    (
      await query<{ step_id: string; minor: string }>(
        lab.db,
        'select step_id, sum(minor) as minor from credits where model = :model group by 1 order by 1',
        { model },
      )
    ).map((row) => [row.step_id, Number(row.minor)]),
  );
const rebuilt = async () => {
  for (let n = 0; n < 50 && (await revenueSettings(lab.db)).rebuild; n++) await goOnRebuilding(lab.db);
};
const set = async (more: Partial<RevenueSettings>) => {
  await writeRevenueSettings(lab.db, { ...usualRevenue(), ...more }, 'Marla');
  await rebuilt();
};

describe('the ledger', () => {
  it('credits an order by every model at once, the same after a merge, and its page tells each message and why', async () => {
    await news();
    const { personId } = await orderAfter('robin@example.com', 'o1', [6, 4, 2]);
    expect(await by('last-click')).toEqual({ c: 10_000 });
    expect(await by('first-touch')).toEqual({ a: 10_000 });
    expect(await by('even')).toEqual({ a: 3_334, b: 3_333, c: 3_333 });
    expect(await by('position')).toEqual({ a: 4_000, b: 2_000, c: 4_000 });
    const decay = await by('time-decay');
    // half as much for each seven days: 2^(-4/7), 2^(-2/7) and 1
    const weights = [4, 2, 0].map((days) => 2 ** (-days / 7));
    const sum = weights.reduce((all, one) => all + one, 0);
    expect(Object.values(decay).map((minor, n) => Math.abs(minor - (10_000 * weights[n]!) / sum) < 1)).toEqual([true, true, true]);
    const order = await orderCredits(lab.db, 'o1');
    expect(order).toMatchObject({ value: 10_000, net: 10_000, bookings: [{ minor: 10_000 }] });
    expect(order.touches.map(({ message, says }) => [message, says])).toEqual([
      ['Letter a', 'clicked 6 days before: it counts'],
      ['Letter b', 'clicked 4 days before: it counts'],
      ['Letter c', 'clicked 48 hours before: it counts'],
    ]);
    for (const model of CREDIT_MODELS) expect(order.touches.reduce((all, one) => all + one.credits[model]!, 0)).toBe(10_000);

    await lab.tell(happening('page.viewed', { person: { email: 'other@example.com' } }));
    const [other] = await query<{ id: string }>(lab.db, `select id from people where email = 'other@example.com'`);
    await mergePeople(lab.db, `~${personId}`, `~${other!.id}`, 'Marla');
    expect(await by('even')).toEqual({ a: 3_334, b: 3_333, c: 3_333 });
    expect((await checkLedger(lab.db)).check).toMatchObject({ orders: 1, differences: 0 });
  });

  it('says why a message has no share: too long ago, or only delivered', async () => {
    await news();
    await orderAfter('robin@example.com', 'o1', [9, null, null]);
    expect(await by('even')).toEqual({});
    expect((await orderCredits(lab.db, 'o1')).touches.map(({ says }) => says)).toEqual(['clicked 9 days before: that counts for 7 days']);
    await expect(orderCredits(lab.db, 'o2')).rejects.toMatchObject({ status: 404 });
  });

  it('is computed anew when the store counts otherwise: windows, what of an order counts, and on which day refunds do', async () => {
    await news();
    await orderAfter('robin@example.com', 'o1', [9, 2, null], { tax: 17.36, shipping: 5 });
    await lab.tell(happening('order.refunded', { orderId: 'o1', value: 50, person: { email: 'robin@example.com' } }));
    expect(await by('even')).toEqual({ b: 5_000 });
    await set({ windows: { ...usualRevenue().windows, email: { clicked: 10, opened: 2, delivered: null } } });
    expect(await by('even')).toEqual({ a: 2_500, b: 2_500 });
    await set({ without: { tax: true, shipping: true } });
    expect(await by('even')).toEqual({ b: 3_882 });
    await set({ paidBack: 'on-day' });
    expect(await query(lab.db, 'select part, minor::int from bookings order by part')).toEqual([
      { part: 0, minor: 10_000 },
      { part: 1, minor: -5_000 },
    ]);
    expect(await by('even')).toEqual({ b: 5_000 });
    const report = await revenueReport(lab.db, url());
    expect(report).toMatchObject({ takings: 5_000, credited: 5_000, orders: 1, counted: expect.stringContaining('refunds on their day') });
    expect((await checkLedger(lab.db)).check!.differences).toBe(0);
    await expect(writeRevenueSettings(lab.db, { ...usualRevenue(), halfLifeDays: 0 }, 'Marla')).rejects.toMatchObject({ status: 422 });
  });

  it('is checked each night after four, and finds what was tampered with', async () => {
    await news();
    await orderAfter('robin@example.com', 'o1', [1, null, null]);
    await orderAfter('kim@example.com', 'o2', [null, null, null]);
    await checkNightly(lab.db);
    const { check } = await revenueSettings(lab.db);
    expect(check).toMatchObject({ orders: 2, differences: 0 });
    await checkNightly(lab.db);
    expect(await query(lab.db, 'select 1 from ledger_checks')).toHaveLength(1);
    const found = async () => (await ledgerDifferences(lab.db, true)).differences.map(({ order_id: id, what }) => [id, what]);
    await query(lab.db, `update credits set minor = minor + 1 where model = 'even'`);
    expect(await found()).toEqual([['o1', 'by even 10001 is credited and not 10000']]);
    await query(lab.db, `delete from credits where model = 'even'`);
    expect(await found()).toEqual([['o1', 'only 5 models credit it']]);
    await query(lab.db, `update bookings set minor = 1 where order_id = 'o2'`);
    expect((await found())[0]).toEqual(['o2', 'its bookings sum to 1 and not to 10000']);
    await query(lab.db, `update orders set net_minor = 9000, value_minor = 9000 where order_id = 'o2'`);
    expect((await found()).map(([, what]) => what)).toContain('its events say another value of it');
    // a rebuild mends it all
    await query(lab.db, 'insert into ledger_rebuilds (began_at) values (now())');
    await rebuilt();
    expect(await found()).toEqual([]);
  });

  it('is split by channel, first or later orders, product and offer; and its page shows just those that are asked for', async () => {
    await news();
    await orderAfter('robin@example.com', 'o1', [1, null, null], { items: [{ sku: 'T1', price: 100, quantity: 1 }] });
    await lab.tell(
      happening('order.placed', {
        orderId: 'o2',
        currency: 'EUR',
        value: 30,
        person: { email: 'robin@example.com' },
        items: [{ sku: 'T1' }, { sku: 'F1' }],
      }),
    );
    await lab.tell(happening('order.placed', { orderId: 'o3', currency: 'EUR', value: 10, person: { email: 'kim@example.com' } }));
    const split = async (by_: string) =>
      (await revenueReport(lab.db, url(`by=${by_}`))).split!.rows.map((row) => [row.name, row.orders, row.takings, row.credited]);
    expect(await split('first')).toEqual([
      ['First orders', 2, 11_000, 10_000],
      ['Later orders', 1, 3_000, 3_000],
    ]);
    expect(await split('channel')).toEqual([['Email', 2, 0, 13_000]]);
    expect(await split('product')).toEqual([
      ['T1', 2, 13_000, 13_000],
      ['F1', 1, 3_000, 3_000],
    ]);
    expect(await split('offer')).toEqual([['No code of an offer', 3, 14_000, 13_000]]);
    expect(await split('source')).toHaveLength(1);
    await expect(revenueReport(lab.db, url('by=weather'))).rejects.toMatchObject({ status: 400 });
    const ids = async (params: string) => (await ledgerPage(lab.db, url(params))).orders.map(({ orderId }) => orderId).sort();
    expect(await ids('first=first')).toEqual(['o1', 'o3']);
    expect(await ids('credited=no')).toEqual(['o3']);
    expect(await ids('flow=news&step=a')).toEqual(['o1', 'o2']);
    expect(await ids('flow=news&step=c')).toEqual([]);
    expect(await ids('channel=email&first=repeat')).toEqual(['o2']);
    await expect(ledgerPage(lab.db, url('first=maybe'))).rejects.toMatchObject({ status: 400 });
    const { models, before } = await revenueReport(lab.db, url());
    expect(models.find(({ step }) => step === 'a')!.credited).toEqual(Object.fromEntries(CREDIT_MODELS.map((model) => [model, 13_000])));
    expect(before).toMatchObject({ takings: 0, orders: 0 });
    expect(await splitRevenue(lab.db, 'category', 0, Date.now() + HOUR, 'even', 'EUR')).toEqual([]);
  });

  it('is split by the link that was clicked, the arm of a test and segments; the orders behind each part are its own', async () => {
    await lab.addFlow(
      'news',
      flowWith({
        name: 'News',
        triggers: [{ id: 'start', kind: 'event', event: 'account.created', key: 'id' }],
        steps: [
          {
            id: 'which',
            kind: 'test',
            name: 'Which letter',
            per: 'person',
            arms: [
              { id: 'one', name: 'The one', when: null, share: 100, steps: [letter('a')] },
              { id: 'other', name: 'The other', when: null, share: 0, steps: [letter('b')] },
            ],
          },
        ],
      }),
    );
    await orderAfter('robin@example.com', 'o1', [1], { items: [{ sku: 'T1', price: 100, quantity: 1 }] });
    await lab.tell(happening('order.placed', { orderId: 'o2', currency: 'EUR', value: 10, person: { email: 'kim@example.com' } }));
    const keen = {
      schema: 'viatic.segment/1',
      name: 'Keen buyers',
      rule: { test: 'attribute', name: 'email', op: 'is', value: 'robin@example.com' },
    };
    await putSegment(lab.db, 'keen', keen, 'Marla');
    await lab.settle();
    const split = async (by_: string) =>
      (await revenueReport(lab.db, url(`by=${by_}`))).split!.rows.map((row) => [row.key, row.name, row.orders, row.takings, row.credited]);
    const ids = async (params: string) => (await ledgerPage(lab.db, url(params))).orders.map(({ orderId }) => orderId).sort();
    expect(await split('link')).toEqual([['https://shop.example/', 'https://shop.example/', 1, 0, 10_000]]);
    expect(await ids(`link=${encodeURIComponent('https://shop.example/')}`)).toEqual(['o1']);
    // what counts by an opening leads to no link, however often one was clicked before
    await query(lab.db, `update credits set because = 'open'`);
    expect(await split('link')).toEqual([]);
    await query(lab.db, `update credits set because = 'click'`);
    expect(await split('arm')).toEqual([['news one', 'News: Which letter, The one', 1, 0, 10_000]]);
    expect(await ids(`arm=${encodeURIComponent('news one')}`)).toEqual(['o1']);
    expect(await split('segment')).toEqual([['keen', 'Keen buyers', 1, 10_000, 10_000]]);
    expect(await ids('segment=keen')).toEqual(['o1']);
    expect(await ids('product=T1')).toEqual(['o1']);
    expect(await ids('source=')).toEqual([]);
    expect(await ids(`offer=`)).toEqual(['o1', 'o2']);
  });

  it('is told by day, week and month, to the same sum; what is taken in other currencies stands apart, by the rates of each day', async () => {
    await news();
    const now = await lab.now();
    await orderAfter('robin@example.com', 'o1', [1, null, null]);
    const at = (days: number) => ({ time: new Date(now - days * DAY).toISOString() });
    await lab.tell([
      happening('order.placed', { orderId: 'o2', currency: 'EUR', value: 10, person: { email: 'kim@example.com' } }, at(8)),
      happening('order.placed', { orderId: 'o3', currency: 'EUR', value: 20, person: { email: 'kim@example.com' } }, at(29)),
      happening('order.placed', { orderId: 'o4', currency: 'USD', value: 40, person: { email: 'kim@example.com' } }, at(3)),
      happening('order.placed', { orderId: 'o5', currency: 'USD', value: 40, person: { email: 'kim@example.com' } }, at(9)),
    ]);
    for (const grain of ['day', 'week', 'month']) {
      const { days, takings, credited } = await revenueReport(lab.db, url(`grain=${grain}`));
      expect(days.reduce((sum, day) => sum + day.takings, 0)).toBe(takings);
      expect(days.reduce((sum, day) => sum + day.credited, 0)).toBe(credited);
      // ISO 8601: weeks begin on a Monday
      if (grain === 'week') for (const { day } of days) expect(new Date(`${day}T00:00:00Z`).getUTCDay()).toBe(1);
      if (grain === 'month') for (const { day } of days) expect(day.endsWith('-01')).toBe(true);
    }
    await expect(revenueReport(lab.db, url('grain=hour'))).rejects.toMatchObject({ status: 400 });
    const others = async () => (await revenueReport(lab.db, url())).others;
    expect(await others()).toMatchObject([{ currency: 'USD', takings: 8_000, own: null }]);
    const day = (days: number) => new Date(now - days * DAY).toISOString().slice(0, 10);
    await storeRates(lab.db, { csv: `currency,day,rate\nUSD,${day(20)},0.5\nUSD,${day(5)},0.75` }, 'Marla');
    expect(await others()).toMatchObject([{ currency: 'USD', takings: 8_000, own: { takings: 2_000 + 3_000, credited: 0 } }]);
    await dropRates(lab.db, 'USD', 'Marla');
  });
});
