import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { cartLeftBehind, firstOrder } from '../../demo/flows';
import { drawsAndAsks, hears } from '@/core/flows/testing/asking';
import { changeStep, type Step } from '@/core/flows';
import { query } from '@/data/db';
import { findFlow, insertSends } from '@/data/flows';
import { personTimeline, personView, unsubscribe } from '../people';
import { revenueReport } from '../revenue';
import { flowReport } from './report';
import { publishFlow, switchFlow, writeDraft } from './flows';
import { drain, tick } from './runloop';
import { recordOwn } from '../ingest';
import { cart, happening, openLab, type Lab } from '../testing/lab';

let lab: Lab;
beforeEach(async () => {
  lab = await openLab();
});
afterEach(() => lab.close());

const url = (query_ = '') => new URL(`http://localhost/api?${query_}`);
const idOf = async (email: string) => (await query<{ id: string }>(lab.db, 'select id from people where email = :email', { email }))[0]!.id;
const says = async (email: string) =>
  (await personTimeline(lab.db, `~${await idOf(email)}`, url())).items.map((item) => item.says).reverse();
const sendOf = async (email: string) =>
  await query<{ id: string; person_id: string }>(lab.db, 'select id, person_id from sends where person_id = :id order by id', {
    id: await idOf(email),
  });
const touch = async (email: string, type: string) => {
  const [send] = await sendOf(email);
  await recordOwn(lab.db, { personId: send!.person_id, type, eventId: `${type}/${send!.id}`, properties: { sendId: send!.id } });
};
const order = (email: string, value: number, more: object = {}) =>
  happening('order.placed', { orderId: `o-${email}`, currency: 'EUR', value, person: { email }, ...more });

describe('a cart left behind, from the event to the revenue', () => {
  it('an hour later the mail is there: proper MIME, the very items, one-click unsubscribe (RFC 8058)', async () => {
    await lab.tell(cart('robin@example.com', 149));
    await lab.pass('PT59M');
    expect(lab.inbox).toHaveLength(0);
    await lab.pass('PT1M');
    const [mail] = lab.inbox;
    expect(mail!.subject).toBe('Your tank is still here, and so are we');
    expect(mail!.html).toContain('Shoreline tank 60 l');
    expect(mail!.text).toContain('- 1 × Shoreline tank 60 l, €149.00');
    const header = (name: string) => mail!.headerLines.find((line) => line.key === name)?.line ?? '';
    expect(header('list-unsubscribe-post')).toBe('List-Unsubscribe-Post: List-Unsubscribe=One-Click');
    expect(header('list-unsubscribe')).toMatch(/<http:\/\/localhost:4400\/leave\/[\w.-]+>/);
    expect(mail!.messageId).toMatch(/^<send-\d+@quillfin\.example>$/);
  });

  it('a click and an order: the goal is reached, the reminder does not go out, the revenue grows by exactly the order', async () => {
    await lab.tell(cart('robin@example.com', 149));
    await lab.pass('PT1H');
    await touch('robin@example.com', 'message.delivered');
    await touch('robin@example.com', 'message.clicked');
    await lab.tell(order('robin@example.com', 134.55, { cartId: 'cart-of-robin@example.com', discount: 14.95 }));
    await lab.pass('P2D');
    expect(lab.inbox).toHaveLength(1);
    expect((await says('robin@example.com')).slice(-2)).toEqual([
      'order.placed',
      'Goal reached: placed an order within 7 days of entering',
    ]);
    const report = await flowReport(lab.db, 'cart-left-behind', url());
    expect(report).toMatchObject({
      entered: 1,
      inside: 0,
      left: { goal: 1 },
      sent: 1,
      delivered: 1,
      clicked: 1,
      orders: 1,
      revenue: { currency: 'EUR', minor: 13_455 },
    });
    expect(report.steps.find((step) => step.id === 'by-value')!.arms).toEqual([
      { id: 'from-100', name: '100 and up', people: 1, goal: 1 },
      { id: 'below-100', name: 'Below 100', people: 0, goal: 0 },
    ]);
    expect(await revenueReport(lab.db, url())).toMatchObject({ takings: 13_455, credited: 13_455, uncredited: 0 });
  });

  it('a refund takes a part of the credit back, a cancellation all of it', async () => {
    await lab.tell(cart('robin@example.com', 149));
    await lab.pass('PT1H');
    await touch('robin@example.com', 'message.clicked');
    await lab.tell(order('robin@example.com', 100));
    await lab.tell(happening('order.refunded', { orderId: 'o-robin@example.com', value: 30 }));
    expect((await flowReport(lab.db, 'cart-left-behind', url())).revenue.minor).toBe(7_000);
    await lab.tell(happening('order.cancelled', { orderId: 'o-robin@example.com' }));
    expect(await revenueReport(lab.db, url())).toMatchObject({ takings: 0, credited: 0, uncredited: 0 });
  });

  it('credits are computed anew from the events: what was lost comes back with the next one that is about an order', async () => {
    await lab.tell(cart('robin@example.com', 149));
    await lab.pass('PT1H');
    await touch('robin@example.com', 'message.clicked');
    await lab.tell(order('robin@example.com', 100));
    await query(lab.db, 'delete from credits');
    // a delivery that is told after the order can change nothing of it
    await touch('robin@example.com', 'message.delivered');
    expect(await query(lab.db, 'select 1 from credits')).toEqual([]);
    await lab.tell(happening('order.refunded', { orderId: 'o-robin@example.com', value: 0 }));
    expect((await flowReport(lab.db, 'cart-left-behind', url())).revenue.minor).toBe(10_000);
  });

  it('an order in another currency is never added to the store’s', async () => {
    await lab.tell(cart('robin@example.com', 149));
    await lab.pass('PT1H');
    await touch('robin@example.com', 'message.clicked');
    await lab.tell(order('robin@example.com', 5000, { currency: 'JPY' }));
    expect(await flowReport(lab.db, 'cart-left-behind', url())).toMatchObject({
      revenue: { currency: 'EUR', minor: 0 },
      otherRevenue: [{ currency: 'JPY', minor: 5000 }],
    });
    expect(await revenueReport(lab.db, url())).toMatchObject({
      takings: 0,
      others: [{ currency: 'JPY', takings: 5000, credited: 5000, uncredited: 0 }],
    });
  });
});

describe('who gets nothing, and why', () => {
  it('unsubscribed: the reminder is skipped, the trace says why, and a shop that says "agreed" again does not lift it', async () => {
    await lab.tell(cart('robin@example.com', 49));
    await lab.pass('PT1H');
    await unsubscribe(lab.db, await idOf('robin@example.com'), 'unsubscribe link in a message');
    await lab.tell(cart('robin@example.com', 60, { cartId: 'second' }));
    await lab.pass('P2D');
    expect(lab.inbox).toHaveLength(1);
    const told = await says('robin@example.com');
    expect(told).toContain('Did not send “Reminder”: address is suppressed (unsubscribed)');
    expect(told).toContain('Did not enter: the entry rule does not hold');
    expect((await personView(lab.db, `~${await idOf('robin@example.com')}`)).consent.email).toMatchObject({
      reachable: false,
      suppressed: 'unsubscribed',
    });
  });

  it('withdrawn between the decision and the sending: it is not sent', async () => {
    await lab.tell(cart('robin@example.com', 49));
    const now = await lab.now();
    await query(lab.db, 'update store set clock_offset_ms = clock_offset_ms + 3600000');
    await drain(lab.db);
    await unsubscribe(lab.db, await idOf('robin@example.com'), 'test');
    await lab.settle();
    expect(lab.inbox).toHaveLength(0);
    expect(await query(lab.db, 'select state, reason from sends')).toEqual([
      { state: 'skipped', reason: 'address is suppressed (unsubscribed)' },
    ]);
    expect(now).toBeLessThan(await lab.now());
  });

  it('a mailbox that does not exist: the send has failed, with the server’s words', async () => {
    await lab.tell(cart('refuse.me@example.com', 49));
    await lab.pass('PT1H');
    const [send] = await query<{ state: string; reason: string }>(lab.db, 'select state, reason from sends');
    expect(send).toMatchObject({ state: 'failed' });
    expect(send!.reason).toContain('no such mailbox');
  });

  it('five additions to a cart are one run; a second cart is a second one; the same cart never again', async () => {
    for (let i = 0; i < 5; i++) await lab.tell(cart('robin@example.com', 20 + i));
    await lab.tell(cart('robin@example.com', 30, { cartId: 'other' }));
    await lab.pass('PT1H');
    await lab.pass('P9D');
    await lab.tell(cart('robin@example.com', 20));
    await lab.pass('PT2H');
    expect(await query(lab.db, `select key, count(*)::int as n from runs where entered_at is not null group by key order by key`)).toEqual([
      { key: 'cart-of-robin@example.com', n: 1 },
      { key: 'other', n: 1 },
    ]);
    expect(lab.inbox).toHaveLength(4);
  });
});

describe('order of arrival', () => {
  it('an order that arrives before the cart it closes, and a cart that arrives late, are put in their place', async () => {
    const now = await lab.now();
    const at = (minutes: number) => ({ time: new Date(now + minutes * 60_000).toISOString() });
    await lab.tell({ ...order('robin@example.com', 49, { cartId: 'cart-of-robin@example.com' }), ...at(-10) });
    await lab.tell(cart('robin@example.com', 49, at(-30)));
    await lab.tell(cart('kim@example.com', 49, at(-50)));
    await lab.pass('PT11M');
    expect(lab.inbox.map((mail) => (mail.to as { text: string }).text)).toEqual(['kim@example.com']);
    await lab.pass('PT2H');
    expect(await says('robin@example.com')).toContain('Did not enter: placed an order for it');
  });

  it('history that is loaded starts nothing', async () => {
    await lab.tell(cart('robin@example.com', 49, { time: '2026-01-01T10:00:00Z' }));
    await lab.pass('P1D');
    expect(await query(lab.db, 'select 1 from runs')).toEqual([]);
  });
});

describe('versions, pause and resume', () => {
  it('runs under way keep their version, new ones follow the new one', async () => {
    await lab.tell(cart('old@example.com', 49));
    await lab.pass('PT1H');
    const draft = changeStep(cartLeftBehind, 'a-day', (step) => ({ ...step, for: 'PT2H' }) as Step);
    expect((await writeDraft(lab.db, 'cart-left-behind', draft, null)).changes.map((c) => c.says)).toEqual([
      'Wait: 23 hours becomes 2 hours',
    ]);
    await publishFlow(lab.db, 'cart-left-behind', 'Marla');
    await lab.tell(cart('new@example.com', 49));
    await lab.pass('PT1H');
    await lab.pass('PT2H');
    const got = lab.inbox.map((mail) => `${(mail.to as { text: string }).text} ${mail.subject}`);
    expect(got).toContain('new@example.com Shall we put your cart back on the shelf?');
    expect(got).not.toContain('old@example.com Shall we put your cart back on the shelf?');
    await lab.pass('PT20H');
    expect(lab.inbox).toHaveLength(4);
    expect(await query(lab.db, 'select version, count(*)::int as n from runs group by 1 order by 1')).toEqual([
      { version: 1, n: 1 },
      { version: 2, n: 1 },
    ]);
    expect(
      await query(lab.db, `select actor, what, detail->>'version' as version from acts where what = 'flow.published' order by id`),
    ).toEqual([
      { actor: 'test', what: 'flow.published', version: '1' },
      { actor: 'Marla', what: 'flow.published', version: '2' },
    ]);
  });

  it('paused, nobody enters and nobody goes on; resumed, who is due goes on', async () => {
    await lab.tell(cart('inside@example.com', 49));
    await lab.pass('PT1H');
    await switchFlow(lab.db, 'cart-left-behind', 'paused', 'Marla');
    await lab.tell(cart('outside@example.com', 49));
    await lab.pass('P2D');
    expect(lab.inbox).toHaveLength(1);
    expect(await says('outside@example.com')).toContain('Did not enter: the flow was not on at that moment');
    await switchFlow(lab.db, 'cart-left-behind', 'on', 'Marla');
    await lab.settle();
    expect(lab.inbox).toHaveLength(2);
  });
});

describe('nothing twice', () => {
  it('two workers at the same due runs: each run moves once, each person has one mail', async () => {
    await lab.tell(Array.from({ length: 120 }, (_, i) => cart(`p${i}@example.com`, 49)));
    await query(lab.db, 'update store set clock_offset_ms = clock_offset_ms + 3600000');
    const moved = await Promise.all(
      Array.from({ length: 6 }, async () => {
        let sum = 0;
        for (let count = await tick(lab.db, 25); count; count = await tick(lab.db, 25)) sum += count;
        return sum;
      }),
    );
    expect(moved.reduce((a, b) => a + b, 0)).toBe(120);
    await lab.settle();
    expect(lab.inbox).toHaveLength(120);
    expect(new Set(lab.inbox.map((mail) => mail.messageId)).size).toBe(120);
    expect(await query(lab.db, `select count(*)::int as n from traces where kind = 'entered'`)).toEqual([{ n: 120 }]);
  });

  it('a send that is there already is not written again', async () => {
    await lab.tell(cart('robin@example.com', 49));
    await lab.pass('PT1H');
    const flow = (await findFlow(lab.db, 'cart-left-behind'))!;
    const [run] = await query<{ id: string; person_id: string }>(lab.db, 'select id, person_id from runs');
    const effect = { kind: 'send' as const, marketing: true, channel: 'email' as const, stepId: 'small-cart', visit: 1 };
    const again = await insertSends(lab.db, [
      { run: { id: run!.id, personId: run!.person_id } as never, flowId: flow.id, version: 1, effect, at: Date.now() },
    ]);
    expect(again).toEqual([]);
  });

  it('events tell while a worker is at the same people: nobody is left waiting for an order that came', async () => {
    const emails = Array.from({ length: 60 }, (_, i) => `p${i}@example.com`);
    await lab.tell(emails.map((email) => cart(email, 49)));
    await query(lab.db, 'update store set clock_offset_ms = clock_offset_ms + 3601000');
    await Promise.all([drain(lab.db), ...emails.map((email) => lab.tell(order(email, 49)))]);
    await drain(lab.db);
    expect(await query(lab.db, `select count(*)::int as n from runs where phase = 'inside'`)).toEqual([{ n: 0 }]);
  });
});

describe('a flow that an event starts at once', () => {
  it('enters on the order itself, which is not its own goal', async () => {
    await lab.addFlow('first-order', firstOrder);
    await lab.tell(
      happening('order.placed', {
        orderId: 'o1',
        currency: 'EUR',
        value: 120,
        person: { email: 'robin@example.com', consent: { email: true } },
      }),
    );
    await lab.settle();
    const view = await personView(lab.db, `~${await idOf('robin@example.com')}`);
    expect(view.flows).toMatchObject([{ flow: 'first-order', phase: 'inside', at: 'Wait 3 days', next: 'Send “The first three weeks”' }]);
    expect((await flowReport(lab.db, 'first-order', url())).goalReached).toBe(0);
  });
});

describe('what a flow records comes back as an event', () => {
  it('begins another flow, stands in the story of the person, and is there once however often it is handed over', async () => {
    await lab.addFlow('draws', drawsAndAsks);
    await lab.addFlow('hears', hears);
    await lab.tell(order('robin@example.com', 80, { person: { email: 'robin@example.com', consent: { email: true } } }));
    await lab.pass('P1D');
    const recorded = () => query(lab.db, `select event_id, properties from events where type = 'app.asked'`);
    const runs = await query<{ key: string; id: string; outcome: string | null }>(
      lab.db,
      `select f.key, r.id, r.outcome from runs r join flows f on f.id = r.flow_id where f.key in ('draws', 'hears') order by 1`,
    );
    expect(runs).toMatchObject([{ key: 'draws' }, { key: 'hears', outcome: 'completed' }]);
    expect(await recorded()).toEqual([
      { event_id: `run/${runs[0]!.id}/asked/1`, properties: { orderId: 'o-robin@example.com', byFlow: 'draws', hops: 1 } },
    ]);
    expect(lab.inbox.map(({ subject }) => subject)).toContain('heard');
    // a worker that was killed after its state was stored, and whose work another does again
    await query(lab.db, `update runs set step = 'asked', wait_from = null, wait_until = null, wake_at = now() where id = :id`, {
      id: runs[0]!.id,
    });
    await drain(lab.db);
    expect(await recorded()).toHaveLength(1);

    await lab.tell(cart('robin@example.com', 149));
    await lab.pass('PT1M');
    expect(await says('robin@example.com')).toEqual(
      expect.arrayContaining([
        expect.stringMatching(/^Drew “(Sooner|Later)”, which (40|60) % take$/),
        'Recorded “Asked”',
        'Waiting up to 3 days, until the person has updated a cart',
        'It came: the person updated a cart',
        'Took “Much”',
      ]),
    );
    expect(lab.inbox.map(({ subject }) => subject)).toContain('for-much');
    const [run] = await query<{ answers: object }>(lab.db, 'select answers from runs where id = :id', { id: runs[0]!.id });
    expect(run!.answers).toMatchObject({ answer: { data: { value: 149 } } });
  });

  it('counts the arms of a test in the report', async () => {
    await lab.addFlow('draws', drawsAndAsks);
    for (let n = 0; n < 20; n++) await lab.tell(order(`p${n}@example.com`, 80));
    await lab.pass('PT1M');
    const arms = (await flowReport(lab.db, 'draws', url())).steps.find((step) => step.id === 'which')!.arms!;
    expect(arms.map(({ name }) => name)).toEqual(['Sooner', 'Later']);
    expect(arms.every(({ people }) => people > 0)).toBe(true);
    expect(arms[0]!.people + arms[1]!.people).toBe(20);
  });
});
