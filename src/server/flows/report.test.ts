import { usualRevenue } from '@/core/revenue';
import fc from 'fast-check';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { query } from '@/data/db';
import { DAY, HOUR } from '@/core/time';
import { listOfFlows } from './list';
import { recordOwn } from '../ingest';
import { ledgerPage, revenueReport } from '../revenue';
import { periodOf } from '../http';
import { presentIn } from './presence';
import { flowReport, messageReport } from './report';
import { cart, happening, openLab, type Lab } from '../testing/lab';

let lab: Lab;
let now = 0;
beforeAll(async () => {
  lab = await openLab();
  now = await lab.now();
});
afterAll(() => lab.close());
beforeEach(() => lab.empty());

const url = (params = '') => new URL(`http://localhost/api?${params}`);
const iso = (at: number) => new Date(at).toISOString();
/** The local day of a moment by the platform's own calendar. */
const dayOf = (at: number) => new Intl.DateTimeFormat('sv-SE', { timeZone: 'Europe/Amsterdam' }).format(at);

interface Told {
  who: number;
  order: number;
  ago: number;
  value: number;
  currency: string;
  refunds: number[];
  cancelled: boolean;
}
const placed = (one: Told) =>
  happening(
    'order.placed',
    { orderId: `o${one.order}`, currency: one.currency, value: one.value / 100 },
    { subject: `p${one.who}`, time: iso(now - one.ago) },
  );
const takenBack = (one: Told) => [
  ...one.refunds.map((minor) =>
    happening(
      'order.refunded',
      { orderId: `o${one.order}`, value: minor / 100 },
      { subject: `p${one.who}`, time: iso(now - one.ago + HOUR) },
    ),
  ),
  ...(one.cancelled
    ? [happening('order.cancelled', { orderId: `o${one.order}` }, { subject: `p${one.who}`, time: iso(now - one.ago + HOUR) })]
    : []),
];
/** What an order comes to, worked out here from what was told: no code of ours takes part. */
const net = (one: Told) => (one.cancelled ? 0 : Math.max(0, one.value - one.refunds.reduce((sum, minor) => sum + minor, 0)));

const told = fc
  .array(
    fc.record({
      who: fc.nat(3),
      ago: fc.integer({ min: 2 * HOUR, max: 40 * DAY }),
      value: fc.integer({ min: 1, max: 50_000 }),
      currency: fc.constantFrom('EUR', 'EUR', 'EUR', 'USD'),
      refunds: fc.array(fc.integer({ min: 0, max: 20_000 }), { maxLength: 2 }),
      cancelled: fc.boolean(),
    }),
    { minLength: 1, maxLength: 12 },
  )
  .map((list) => list.map((one, order) => ({ ...one, order })));

describe('what the store took', () => {
  it('by currency and by local day it is the sum over the orders, in whatever order they are told', async () => {
    await fc.assert(
      fc.asyncProperty(told, fc.infiniteStream(fc.nat()), async (orders, dice) => {
        await query(lab.db, 'truncate people, identifiers, events, event_keys, orders, bookings, credits, standing cascade');
        const events = orders
          .flatMap((one) => [placed(one), ...takenBack(one)])
          .map((event) => ({ event, place: dice.next().value }))
          .sort((a, b) => a.place - b.place)
          .map(({ event }) => event);
        for (let i = 0; i < events.length; i += 5) expect((await lab.tell(events.slice(i, i + 5))).rejected).toEqual([]);

        const from = now - 30 * DAY;
        const within = orders.filter((one) => now - one.ago >= from);
        const report = await revenueReport(lab.db, url());
        const taken = (currency: string, list = within) =>
          list.filter((one) => one.currency === currency).reduce((sum, one) => sum + net(one), 0);
        expect(report).toMatchObject({
          currency: 'EUR',
          takings: taken('EUR'),
          credited: 0,
          uncredited: taken('EUR'),
          orders: within.filter((one) => one.currency === 'EUR').length,
          flows: [],
        });
        expect(report.others.map((one) => [one.currency, one.takings])).toEqual(
          within.some((one) => one.currency === 'USD') ? [['USD', taken('USD')]] : [],
        );

        // every local day has its line, also those on which nothing was sold and the one whose clocks change
        const days = Array.from({ length: 31 * 24 + 2 }, (_, hour) => dayOf(Math.min(now, from + hour * HOUR)));
        expect(report.days.map((one) => one.day)).toEqual([...new Set(days)]);
        for (const { day, takings } of report.days)
          expect(takings, day).toBe(
            taken(
              'EUR',
              within.filter((one) => dayOf(now - one.ago) === day),
            ),
          );
      }),
      { numRuns: 25 },
    );
  });

  it('the ledger’s pages hold each order once, newest first, two of one number at one moment too', async () => {
    const orders: Told[] = Array.from({ length: 9 }, (_, n) => ({
      who: n % 3,
      order: Math.floor(n / 3),
      ago: HOUR * (2 + Math.floor(n / 3)),
      value: 1000 + n,
      currency: 'EUR',
      refunds: n === 4 ? [500] : [],
      cancelled: n === 7,
    }));
    // three shops that number their orders alike
    for (const one of orders) await lab.tell([placed(one), ...takenBack(one)].map((event) => ({ ...event, source: `shop-${one.who}` })));
    const rows: { orderId: string; person: string; net: number; refunded: number; placedAt: string }[] = [];
    for (let next: string | null = '', pages = 0; next !== null; pages++) {
      expect(pages).toBeLessThan(10);
      const page: Awaited<ReturnType<typeof ledgerPage>> = await ledgerPage(
        lab.db,
        url(`limit=2${next && `&before=${encodeURIComponent(next)}`}`),
      );
      rows.push(...page.orders);
      next = page.next;
    }
    expect(new Set(rows.map((row) => `${row.person} ${row.orderId}`)).size).toBe(9);
    expect(rows).toHaveLength(9);
    expect(rows.map((row) => row.placedAt)).toEqual([...rows.map((row) => row.placedAt)].sort().reverse());
    expect(rows.map((row) => row.net).sort((a, b) => a - b)).toEqual(orders.map(net).sort((a, b) => a - b));
    expect(rows.reduce((sum, row) => sum + row.net, 0)).toBe((await revenueReport(lab.db, url())).takings);
    expect(rows.find((row) => row.net === 0)).toMatchObject({ isCancelled: true, refunded: 1007 });
  });

  it.each(['before=1', 'before=x_1_o', 'before=%00'])('a cursor that is none (%s) is refused', async (params) => {
    await expect(ledgerPage(lab.db, url(params))).rejects.toMatchObject({ status: 400 });
  });
});

describe('what a flow earned', () => {
  it('is what was credited to its messages, by message, arm and day, and no more than was taken', async () => {
    // cart, what they did with the message, and the order that followed; the arm parts at 100
    const people = [
      { who: 'ann@example.com', cart: 150, did: 'message.clicked', order: 140 },
      { who: 'ben@example.com', cart: 100, did: 'message.opened', order: 100 },
      { who: 'cleo@example.com', cart: 99.99, did: 'message.clicked', order: 60.5 },
      { who: 'dan@example.com', cart: 20, did: null, order: 20 },
      { who: 'eve@example.com', cart: 300, did: 'message.clicked', order: null },
    ];
    await lab.tell(people.map((one) => cart(one.who, one.cart)));
    await lab.pass('PT1H');
    const sends = await query<{ id: string; person_id: string; email: string }>(
      lab.db,
      'select s.id, s.person_id, p.email from sends s join people p on p.id = s.person_id',
    );
    expect(sends).toHaveLength(5);
    for (const { who, did } of people) {
      const send = sends.find((one) => one.email === who)!;
      for (const type of ['message.delivered', ...(did ? [did] : [])])
        await recordOwn(lab.db, {
          personId: send.person_id,
          type,
          eventId: `${type}/${send.id}`,
          properties: { sendId: send.id },
        });
    }
    await lab.tell(
      people
        .filter((one) => one.order !== null)
        .map((one) =>
          happening('order.placed', { orderId: `o-${one.who}`, currency: 'EUR', value: one.order, person: { email: one.who } }),
        ),
    );
    await lab.settle();

    const flow = await flowReport(lab.db, 'cart-left-behind', url());
    expect(flow).toMatchObject({
      entered: 5,
      inside: 1,
      left: { goal: 4 },
      goalReached: 4,
      sent: 5,
      delivered: 5,
      clicked: 3,
      orders: 3,
      revenue: { currency: 'EUR', minor: 14_000 + 10_000 + 6_050 },
    });
    const step = (id: string) => flow.steps.find((one) => one.id === id)!;
    expect(step('by-value').arms).toEqual([
      { id: 'from-100', name: '100 and up', people: 3, goal: 2 },
      { id: 'below-100', name: 'Below 100', people: 2, goal: 2 },
    ]);
    expect(step('big-cart')).toMatchObject({ sent: 3, clicked: 2, opened: 1, orders: 2, revenue: { minor: 24_000 } });
    expect(step('small-cart')).toMatchObject({ sent: 2, clicked: 1, orders: 1, revenue: { minor: 6_050 } });
    expect(step('reminder')).toMatchObject({ sent: 0, orders: 0 });
    expect(step('a-day').waiting).toBe(1);

    const report = await revenueReport(lab.db, url());
    expect(report).toMatchObject({ takings: 32_050, credited: 30_050, uncredited: 2_000, orders: 4 });
    expect(report.flows).toEqual([
      {
        key: 'cart-left-behind',
        name: 'Cart left behind',
        currency: 'EUR',
        minor: 30_050,
        orders: 3,
        messages: [
          { stepId: 'big-cart', name: 'Your tank is waiting, with an offer', minor: 24_000, orders: 2 },
          { stepId: 'small-cart', name: 'You left something in your cart', minor: 6_050, orders: 1 },
        ],
      },
    ]);
    expect(report.days.reduce((sum, day) => sum + day.credited, 0)).toBe(30_050);
    const ledger = await ledgerPage(lab.db, url());
    expect(ledger.orders.map((row) => [row.email, row.credited, row.shares[0]?.because ?? null]).sort()).toEqual([
      ['ann@example.com', 14_000, 'click'],
      ['ben@example.com', 10_000, 'open'],
      ['cleo@example.com', 6_050, 'click'],
      ['dan@example.com', 0, null],
    ]);

    // what is given back takes its credit along, and a period before it all knows of nothing
    await lab.tell(happening('order.refunded', { orderId: 'o-ann@example.com', value: 40 }));
    expect(await flowReport(lab.db, 'cart-left-behind', url())).toMatchObject({ orders: 3, revenue: { minor: 26_050 } });
    const before = `from=${iso(now - 20 * DAY)}&to=${iso(now - 10 * DAY)}`;
    expect(await flowReport(lab.db, 'cart-left-behind', url(before))).toMatchObject({
      entered: 0,
      sent: 0,
      orders: 0,
      revenue: { minor: 0 },
    });
    expect(await revenueReport(lab.db, url(before))).toMatchObject({ takings: 0, credited: 0, flows: [] });
  });

  it('an order that two messages share is one order, and another model’s credits are not added to this one’s', async () => {
    await lab.tell(cart('ann@example.com', 150));
    await lab.pass('PT1H');
    await lab.tell(happening('order.placed', { orderId: 'o-ann', currency: 'EUR', value: 140, person: { email: 'ann@example.com' } }));
    const [send] = await query<{ person_id: string; id: string; flow_id: number }>(lab.db, 'select person_id, id, flow_id from sends');
    const placedAt = await lab.now();
    const credit = (model: string, sendId: number, stepId: string, minor: number) =>
      query(
        lab.db,
        `insert into credits (person_id, order_id, send_id, model, flow_id, step_id, because, minor, currency, placed_at)
          values (:person, 'o-ann', :sendId, :model, :flow, :stepId, 'click', :minor, 'EUR', :at)`,
        { person: send!.person_id, flow: send!.flow_id, sendId, model, stepId, minor, at: new Date(placedAt) },
      );
    await credit('last-click', Number(send!.id), 'big-cart', 9_000);
    await credit('last-click', Number(send!.id) + 1, 'reminder', 5_000);
    await credit('even', Number(send!.id), 'big-cart', 7_000);
    expect(await flowReport(lab.db, 'cart-left-behind', url())).toMatchObject({ orders: 1, revenue: { minor: 14_000 } });
    expect((await revenueReport(lab.db, url())).flows).toMatchObject([
      {
        orders: 1,
        minor: 14_000,
        messages: [
          { stepId: 'big-cart', orders: 1 },
          { stepId: 'reminder', orders: 1 },
        ],
      },
    ]);
    const { flows } = await listOfFlows(lab.db);
    expect(flows[0]!.revenue.minor).toBe(14_000);
    expect(flows[0]!.daily.reduce((sum, day) => sum + day, 0)).toBe(14_000);
  });

  it('a bare date is a day of the store’s zone, wherever that lies', () => {
    const period = (zone: string) => periodOf(url('from=2026-11-24&to=2026-11-24'), { now, zone, revenue: usualRevenue() });
    expect(period('Pacific/Auckland')).toMatchObject({
      from: Date.parse('2026-11-23T11:00:00Z'),
      to: Date.parse('2026-11-24T11:00:00Z') - 1,
    });
    expect(period('America/Los_Angeles')).toMatchObject({
      from: Date.parse('2026-11-24T08:00:00Z'),
      to: Date.parse('2026-11-25T08:00:00Z') - 1,
    });
    // a day of 25 hours: the clocks go back on 25 October (IANA database)
    const long = periodOf(url('from=2026-10-25&to=2026-10-25'), { now, zone: 'Europe/Amsterdam', revenue: usualRevenue() });
    expect(long.to - long.from + 1).toBe(25 * HOUR);
  });

  it('the list of flows shows the same, with who is inside and the days', async () => {
    await lab.tell([cart('ann@example.com', 150), cart('ben@example.com', 30)]);
    await lab.pass('PT1H');
    const { flows } = await listOfFlows(lab.db);
    expect(flows).toEqual([
      expect.objectContaining({
        key: 'cart-left-behind',
        state: 'on',
        version: 1,
        hasChanges: false,
        inside: 2,
        sent24h: 2,
        entered: 2,
        revenue: { currency: 'EUR', minor: 0 },
      }),
    ]);
  });
});

describe('what came of one message', () => {
  it('is told by its links and by the hours at which it was opened; many addresses of one kind are one', async () => {
    const people = Array.from({ length: 15 }, (_, n) => `p${n}@example.com`);
    await lab.tell(people.map((email) => cart(email, 20)));
    await lab.pass('PT1H');
    const sends = await query<{ id: string; person_id: string; email: string; sent_at: Date }>(
      lab.db,
      'select s.id, s.person_id, p.email, s.sent_at from sends s join people p on p.id = s.person_id order by s.id',
    );
    for (const [n, send] of sends.entries()) {
      const touch = (type: string, after: number, properties = {}) =>
        recordOwn(lab.db, {
          personId: send.person_id,
          type,
          eventId: `${type}/${send.id}/${after}`,
          properties: { sendId: send.id, flow: 'cart-left-behind', step: 'small-cart', ...properties },
          at: send.sent_at.getTime() + after,
        });
      await lab.pass(n === 0 ? 'PT3H' : 'PT1M');
      await touch('message.opened', n < 10 ? 10 * 60_000 : 150 * 60_000);
      await touch('message.clicked', n < 10 ? 20 * 60_000 : 160 * 60_000, { url: `https://shop.example/cart/of-${send.id}` });
      if (n < 2) await touch('message.clicked', 170 * 60_000, { url: 'https://shop.example/help' });
    }
    await lab.settle();
    const report = await messageReport(lab.db, 'cart-left-behind', 'small-cart', url());
    expect(report.forms).toEqual([{ id: null, name: null, sent: 15, opened: 15, clicked: 15 }]);
    expect(report.links).toEqual([
      { url: 'https://shop.example/cart/…', clicks: 15, people: 15, different: 15 },
      { url: 'https://shop.example/help', clicks: 2, people: 2, different: 1 },
    ]);
    expect(report.openedAfter).toEqual([
      { hour: 0, people: 10 },
      { hour: 2, people: 5 },
    ]);
    expect(report.openedAt.reduce((sum, { people: those }) => sum + those, 0)).toBe(15);
    await expect(messageReport(lab.db, 'cart-left-behind', 'by-value', url())).rejects.toMatchObject({ status: 404 });
    // one version alone has all of it, one that never was has nothing
    expect(await flowReport(lab.db, 'cart-left-behind', url('version=1'))).toMatchObject({ entered: 15, sent: 15, clicked: 15 });
    const period = `from=${iso((await lab.now()) - DAY)}&to=${iso(await lab.now())}`;
    const whole = await flowReport(lab.db, 'cart-left-behind', url(period));
    expect(await flowReport(lab.db, 'cart-left-behind', url(`${period}&version=1`))).toEqual(whole);
    await expect(flowReport(lab.db, 'cart-left-behind', url('version=none'))).rejects.toMatchObject({ status: 400 });
  });
});

describe('who else has a flow open', () => {
  it('is told by tab, with the step, until they have not been heard of for a while', async () => {
    const [mine, theirs] = ['tab-of-mine-1', 'tab-of-theirs-1'];
    expect(await presentIn(lab.db, 'cart-left-behind', { tab: mine, step: null }, 'Marla')).toMatchObject({ others: [] });
    expect(await presentIn(lab.db, 'cart-left-behind', { tab: theirs, step: 'reminder' }, 'Noor')).toMatchObject({
      others: [{ name: 'Marla', step: null }],
    });
    const heard = await presentIn(lab.db, 'cart-left-behind', { tab: mine, step: null }, 'Marla');
    expect(heard).toMatchObject({ revision: expect.any(Number) as number, others: [{ name: 'Noor', step: 'reminder' }] });
    // who goes is gone at once
    await presentIn(lab.db, 'cart-left-behind', { tab: theirs, step: null, leaves: true }, 'Noor');
    expect((await presentIn(lab.db, 'cart-left-behind', { tab: mine, step: null }, 'Marla')).others).toEqual([]);
    await presentIn(lab.db, 'cart-left-behind', { tab: theirs, step: 'reminder' }, 'Noor');
    await query(lab.db, `update presences set seen_at = now() - interval '16 seconds' where tab = :theirs`, { theirs });
    expect((await presentIn(lab.db, 'cart-left-behind', { tab: mine, step: null }, 'Marla')).others).toEqual([]);
    await expect(presentIn(lab.db, 'cart-left-behind', { tab: 'x', step: null }, 'Marla')).rejects.toMatchObject({ status: 422 });
    await expect(presentIn(lab.db, 'no-such-flow', { tab: mine, step: null }, 'Marla')).rejects.toMatchObject({ status: 404 });
  });
});
