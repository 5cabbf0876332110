import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { flowWith } from '@/core/flows/testing/asking';
import { NO_LIMITS } from '@/core/limits';
import { addDuration, DAY, HOUR } from '@/core/time';
import { query } from '@/data/db';
import { moveClockTo } from '@/data/store';
import { writeLimits } from '../sending';
import { eraseById, mergePeople } from '../people';
import { recordOwn } from '../ingest';
import { happening, openLab, type Lab } from '../testing/lab';
import { bandOf } from './carts';
import { cartsPage, cartsReport, flowLift, lifts, testView, testViews } from '.';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(async () => {
  lab.inbox.length = 0;
  await lab.empty('flows', 'flow_versions');
});
const url = (params = '') => new URL(`http://x/?${params}`);
const cart = (email: string, value: number, time: number, more: object = {}, consent = true) =>
  happening(
    'cart.updated',
    {
      cartId: `cart-${email}`,
      currency: 'EUR',
      value,
      items: [{ sku: 'T1', name: 'Tank', quantity: 1 }],
      person: { email, consent: { email: consent } },
      ...more,
    },
    { time: new Date(time).toISOString() },
  );
const order = (email: string, orderId: string, value: number, time: number) =>
  happening('order.placed', { orderId, currency: 'EUR', value, person: { email } }, { time: new Date(time).toISOString() });

describe('carts that were left', () => {
  it('are open, won back or gone, those of who cannot be written to apart; what is ordered within the hour was never left', async () => {
    const now = await lab.now();
    await lab.tell([
      cart('open@example.com', 40, now - 5 * HOUR),
      cart('won@example.com', 120, now - 10 * DAY),
      cart('just-won@example.com', 10, now - 3 * DAY),
      cart('late@example.com', 60, now - 20 * DAY),
      cart('gone@example.com', 30, now - 12 * DAY),
      cart('mute@example.com', 90, now - 2 * DAY, {}, false),
      cart('quick@example.com', 50, now - 2 * DAY),
      cart('shopping@example.com', 70, now - HOUR / 2),
      cart('empty@example.com', 0, now - DAY),
      order('won@example.com', 'o1', 100, now - 9 * DAY),
      order('just-won@example.com', 'o4', 10, now - 2 * DAY),
      order('late@example.com', 'o2', 60, now - 5 * DAY),
      order('quick@example.com', 'o3', 50, now - 2 * DAY + HOUR / 2),
    ]);
    const report = await cartsReport(lab.db, url());
    expect(report).toMatchObject({
      open: { carts: 1, value: 4_000 },
      wonBack: { carts: 2, value: 13_000, revenue: 11_000 },
      gone: { carts: 2, value: 9_000 },
      unreachable: { carts: 1, value: 9_000 },
      potential: 26_000,
      won: 11_000,
      how: { itself: { carts: 2, value: 11_000 }, clicked: { carts: 0 }, sent: { carts: 0 } },
    });
    // the one that was left three days ago is not decided with the others yet
    expect(report.rate!.share).toBeCloseTo(1 / 3, 10);
    // 1 of 3 by the score interval (Wilson): 0.0615 to 0.7923
    expect([report.rate!.low, report.rate!.high].map((one) => Number(one.toFixed(4)))).toEqual([0.0615, 0.7923]);
    expect(report.curve).toHaveLength(1);
    expect(report.curve[0]).toMatchObject({ back: expect.closeTo(1 / 2, 10) as number, atRisk: 4 });
    expect(report.weeks.reduce((sum, week) => sum + week.carts, 0)).toBe(5);
    const states = async (params: string) => (await cartsPage(lab.db, url(params))).carts.map(({ person, state }) => [person.name, state]);
    expect(await states('state=gone')).toEqual([
      ['gone@example.com', 'gone'],
      ['late@example.com', 'gone'],
    ]);
    expect(await states('limit=1&offset=1')).toHaveLength(1);
    await expect(cartsPage(lab.db, url('state=lost'))).rejects.toMatchObject({ status: 400 });
    expect(
      report.groups
        .find(({ by }) => by === 'value')!
        .lines.map(({ key, carts }) => [key, carts])
        .sort(),
    ).toEqual([
      ['100 to 250', 1],
      ['25 to 50', 2],
      ['50 to 100', 1],
      ['under 25', 1],
    ]);
  });

  it('that come back after a click in a message are told apart from those that come back by themselves', async () => {
    await lab.addFlow(
      'carts',
      flowWith({
        name: 'Carts',
        triggers: [{ id: 'start', kind: 'event', event: 'cart.updated', key: 'cartId' }],
        steps: [
          {
            id: 'mail',
            kind: 'send',
            name: 'Still here',
            message: {
              schema: 'viatic.message/1',
              channel: 'email',
              kind: 'marketing',
              subject: 'x',
              preview: '',
              blocks: [{ id: 'b', kind: 'text', text: 'x' }],
            },
          },
        ],
      }),
    );
    const began = await lab.now();
    await lab.tell(['a', 'b', 'c'].map((name) => cart(`${name}@example.com`, 50, began)));
    await lab.settle();
    const sends = await query<{ id: string; person_id: string }>(
      lab.db,
      `select s.id, s.person_id from sends s join people p on p.id = s.person_id where p.email = 'a@example.com'`,
    );
    await moveClockTo(lab.db, began + 3 * HOUR);
    await recordOwn(lab.db, {
      personId: sends[0]!.person_id,
      type: 'message.clicked',
      eventId: 'message.clicked/1',
      properties: { sendId: sends[0]!.id, flow: 'carts', step: 'mail', channel: 'email', url: 'https://shop.example' },
    });
    await moveClockTo(lab.db, began + 5 * HOUR);
    const now = await lab.now();
    await lab.tell([order('a@example.com', 'o1', 50, now), order('b@example.com', 'o2', 45, now)]);
    const { how, rate, groups } = await cartsReport(lab.db, url());
    expect(how).toEqual({ clicked: { carts: 1, value: 5_000 }, sent: { carts: 1, value: 4_500 }, itself: { carts: 0, value: 0 } });
    // a click after the order did not bring the cart back
    const [late] = await query<{ id: string; person_id: string }>(
      lab.db,
      `select s.id, s.person_id from sends s join people p on p.id = s.person_id where p.email = 'b@example.com'`,
    );
    await moveClockTo(lab.db, began + 6 * HOUR);
    await recordOwn(lab.db, {
      personId: late!.person_id,
      type: 'message.clicked',
      eventId: 'message.clicked/2',
      properties: { sendId: late!.id, flow: 'carts', step: 'mail', channel: 'email', url: 'https://shop.example' },
    });
    expect((await cartsReport(lab.db, url())).how).toEqual(how);
    // their week is not over: what will be gone is not known yet
    expect(rate).toBeNull();
    expect(groups.find(({ by }) => by === 'message')!.lines).toMatchObject([{ key: 'Carts: mail', carts: 3, won: 2 }]);
  });

  it('stand as events tell them: changed, merged, erased', async () => {
    const now = await lab.now();
    await lab.tell(cart('a@example.com', 50, now - 3 * HOUR));
    await lab.tell(cart('a@example.com', 80, now - 2 * HOUR));
    await lab.tell(cart('a@example.com', 20, now - 4 * HOUR));
    expect((await cartsReport(lab.db, url())).open).toEqual({ carts: 1, value: 8_000 });
    await lab.tell(cart('b@example.com', 30, now - 5 * HOUR));
    const [a, b] = await query<{ id: string }>(lab.db, 'select id from people order by email');
    await mergePeople(lab.db, `~${a!.id}`, `~${b!.id}`, 'Marla');
    expect((await cartsReport(lab.db, url())).open).toEqual({ carts: 2, value: 11_000 });
    await eraseById(lab.db, `~${a!.id}`, 'Marla');
    expect((await cartsReport(lab.db, url())).potential).toBe(0);
  });
});

describe('the bands of cart values', () => {
  it('are in major units of any currency (ISO 4217: JPY none, EUR two digits, KWD three)', () => {
    expect(bandOf({ currency: 'EUR', minor: 7_500 })).toBe('50 to 100');
    expect(bandOf({ currency: 'JPY', minor: 75 })).toBe('50 to 100');
    expect(bandOf({ currency: 'KWD', minor: 75_000 })).toBe('50 to 100');
    expect(bandOf({ currency: 'KWD', minor: 2_000_000 })).toBe('1000 and more');
  });
});

describe('what a flow adds, and its tests', () => {
  it('are counted the same way for both groups: from each one’s entry, for the goal’s window, once a person', async () => {
    await lab.addFlow(
      'tried',
      flowWith({
        name: 'Tried',
        control: 50,
        triggers: [{ id: 'start', kind: 'event', event: 'account.created', key: 'id' }],
        goal: { event: 'order.placed', within: 'P7D', ends: false },
        steps: [
          {
            id: 'which',
            kind: 'test',
            name: 'Which way',
            per: 'person',
            arms: [
              { id: 'one', name: 'One', when: null, share: 1, steps: [] },
              { id: 'two', name: 'Two', when: null, share: 1, steps: [] },
            ],
          },
        ],
      }),
    );
    const began = await lab.now();
    const people = Array.from({ length: 240 }, (_, n) => `p${n}@example.com`);
    // everybody spent ten before, a day ago
    await lab.tell(people.map((email, n) => order(email, `before-${n}`, 10, began - DAY)));
    await lab.tell(people.map((email) => happening('account.created', { id: email, person: { email, consent: { email: true } } })));
    await lab.settle();
    const runs = await query<{ email: string; out: boolean; arm: string | null }>(
      lab.db,
      `select p.email, r.outcome is not distinct from 'control' as out, r.arms[1] as arm from runs r join people p on p.id = r.person_id`,
    );
    const inside = runs.filter(({ out }) => !out);
    const outside = runs.filter(({ out }) => out);
    expect([inside.length + outside.length, outside.length > 80]).toEqual([240, true]);
    // all who went in buy for 30, nobody of the others; one order comes after the window
    await moveClockTo(lab.db, began + 2 * HOUR);
    await lab.tell(inside.map(({ email }, n) => order(email, `in-${n}`, 30, began + HOUR)));
    await moveClockTo(lab.db, addDuration(began, 'P9D', 'Europe/Amsterdam'));
    await lab.tell(order(outside[0]!.email, 'too-late', 500, began + 8 * DAY));
    await lab.settle();
    const lift = await flowLift(lab.db, 'tried', url('from=2020-01-01'));
    expect(lift).toMatchObject({
      people: { in: inside.length, out: outside.length },
      perPerson: { in: 3_000, out: 0 },
      buyers: { in: inside.length, out: 0 },
      lift: 3_000,
      waiting: { in: 0, out: 0 },
      window: '7 days',
    });
    expect(lift.interval!.low).toBeGreaterThan(0);
    expect((await lifts(lab.db, url('from=2020-01-01'))).lifts.map(({ flow }) => flow?.key)).toEqual(['tried']);
    const test = await testView(lab.db, 'tried', 'which');
    const of = (arm: string) => inside.filter((one) => one.arm === arm).length;
    expect(test.arms.map(({ id, people: many, goals, perPerson }) => [id, many, goals, perPerson!.minor])).toEqual([
      ['one', of('one'), of('one'), 3_000],
      ['two', of('two'), of('two'), 3_000],
    ]);
    expect(test).toMatchObject({ ahead: null, goes: 'goal' });
    expect((await testViews(lab.db)).tests).toHaveLength(1);
    // nobody is kept out of everything yet
    expect((await lifts(lab.db, url('from=2020-01-01'))).all).toBeNull();
    await expect(testView(lab.db, 'tried', 'nothing')).rejects.toMatchObject({ status: 404 });
    await expect(flowLift(lab.db, 'nothing', url())).rejects.toMatchObject({ status: 404 });
  });

  it('the store’s control group gets no marketing of any flow, and tells what all of it brings', async () => {
    const letter = {
      id: 'hello',
      kind: 'send' as const,
      name: 'Hello',
      message: {
        schema: 'viatic.message/1' as const,
        channel: 'email' as const,
        kind: 'marketing' as const,
        subject: 'hello',
        preview: '',
        blocks: [{ id: 'b', kind: 'text' as const, text: 'x' }],
      },
    };
    await lab.addFlow(
      'hello',
      flowWith({
        name: 'Hello',
        triggers: [{ id: 'start', kind: 'event', event: 'account.created', key: 'id' }],
        steps: [letter],
      }),
    );
    const began = await lab.now();
    expect((await writeLimits(lab.db, { ...NO_LIMITS, control: { share: 20 } }, 't')).limits.control).toMatchObject({ share: 20 });
    const people = Array.from({ length: 300 }, (_, n) => `all${n}@example.com`);
    await lab.tell(people.map((email, n) => order(email, `all-before-${n}`, 10, began - DAY)));
    await lab.tell(people.map((email) => happening('account.created', { id: email, person: { email, consent: { email: true } } })));
    await lab.settle();
    const marketing = new Set(lab.inbox.map(({ to }) => [to].flat()[0]!.text));
    // 20 of a hundred of 300 are 60, give or take three standard deviations of 7 (binomial distribution)
    const outside = people.filter((email) => !marketing.has(email));
    expect(Math.abs(outside.length - 60)).toBeLessThan(21);
    const [reason] = await query<{ saw: object }>(lab.db, `select saw from traces where kind = 'skipped' limit 1`);
    expect(reason!.saw).toEqual({ limited: { by: 'control', share: 20 } });
    // who got marketing buys for 30, who got none for 12
    await moveClockTo(lab.db, began + 2 * HOUR);
    await lab.tell(people.map((email, n) => order(email, `all-${n}`, marketing.has(email) ? 30 : 12, began + HOUR)));
    const { all } = await lifts(lab.db, url());
    const others = await query<{ n: number }>(
      lab.db,
      `select count(*)::int as n from people p where exists (select 1 from consents c where c.person_id = p.id) and p.email not like 'all%'`,
    );
    expect(all!.people.in + all!.people.out).toBe(300 + others[0]!.n);
    expect(all).toMatchObject({ flow: null, control: 20 });
    expect(all!.lift).toBeGreaterThan(0);
    expect(all!.interval!.low).toBeGreaterThan(0);
    expect(all!.says).toMatch(/^People who get marketing spent €[\d.]+ each since .* Marketing as a whole adds €/);
    // the same share goes on from where it began; another begins anew
    const { since } = (await writeLimits(lab.db, { ...NO_LIMITS, control: { share: 20, since: '2020-01-01T00:00:00Z' } }, 't')).limits
      .control!;
    expect(Math.abs(Date.parse(since!) - began)).toBeLessThan(HOUR);
    const anew = (await writeLimits(lab.db, { ...NO_LIMITS, control: { share: 10 } }, 't')).limits.control!;
    expect(Date.parse(anew.since!)).toBeGreaterThan(Date.parse(since!));
    await writeLimits(lab.db, NO_LIMITS, 't');
  });
});
