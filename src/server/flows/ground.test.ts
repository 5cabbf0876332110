import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { cartLeftBehind } from '../../demo/flows';
import { changeStep, type FlowDocument, type SendStep } from '@/core/flows';
import { query } from '@/data/db';
import { claimDue, type SendRef } from '@/data/flows';
import { moveClockTo } from '@/data/store';
import { dispatch } from '../messages';
import { mergePeople, personTimeline, personView } from '../people';
import { cart, happening, openLab, type Lab } from '../testing/lab';
import { publishFlow, switchFlow, writeDraft } from './flows';
import { dueMeanwhile } from './meanwhile';
import { flowReport } from './report';
import { drain, tick } from './runloop';

let lab: Lab;
beforeEach(async () => {
  lab = await openLab();
});
afterEach(() => lab.close());

const MINUTE = 60_000;
const url = new URL('http://x/');
const idOf = async (email: string) => (await query<{ id: string }>(lab.db, 'select id from people where email = :email', { email }))[0]!.id;
const says = async (email: string) =>
  (await personTimeline(lab.db, `~${await idOf(email)}`, url)).items
    .filter((item) => item.kind === 'trace')
    .map((item) => item.says)
    .reverse();
const order = (email: string, more: object = {}, at?: number) =>
  happening(
    'order.placed',
    { orderId: `o-${email}`, currency: 'EUR', value: 50, person: { email }, ...more },
    at === undefined ? {} : { time: new Date(at).toISOString() },
  );
/** Lets time pass without mails going out. */
const later = async (minutes: number) => {
  await moveClockTo(lab.db, (await lab.now()) + minutes * MINUTE);
  await drain(lab.db);
};
const waiting = () => query<{ state: string; reason: string | null }>(lab.db, 'select state, reason from sends order by id');
const publish = async (change: (document: FlowDocument) => FlowDocument) => {
  await writeDraft(lab.db, 'cart-left-behind', change(cartLeftBehind), null);
  await publishFlow(lab.db, 'cart-left-behind', 'Marla');
};

describe('late truth', () => {
  it('an order of minute 59 that is told at minute 61 ends the run: no reminder goes to somebody who bought', async () => {
    const began = await lab.now();
    await lab.tell(cart('robin@example.com', 149));
    await lab.pass('PT61M');
    expect(lab.inbox).toHaveLength(1);
    await lab.tell(order('robin@example.com', { cartId: 'cart-of-robin@example.com' }, began + 59 * MINUTE));
    await lab.pass('P2D');
    expect(lab.inbox).toHaveLength(1);
    expect((await says('robin@example.com')).at(-1)).toBe('Left: what had started it turned out not to be so: placed an order for it');
    expect((await flowReport(lab.db, 'cart-left-behind', url)).left).toMatchObject({ undone: 1 });
  });

  it('a silence that an order has ended is over at once, on the person’s page too', async () => {
    await lab.tell(cart('robin@example.com', 149));
    await lab.tell(order('robin@example.com', { cartId: 'cart-of-robin@example.com' }));
    await drain(lab.db);
    expect((await personView(lab.db, `~${await idOf('robin@example.com')}`)).flows).toEqual([]);
    expect(await says('robin@example.com')).toEqual(['Did not enter: placed an order for it']);
  });

  it('a worker that comes two hours late enters people as of the moment at which it was due', async () => {
    const began = await lab.now();
    await lab.tell(cart('robin@example.com', 149));
    await moveClockTo(lab.db, began + 90 * MINUTE);
    await lab.tell(order('robin@example.com', { orderId: 'other', cartId: 'other' }));
    await moveClockTo(lab.db, began + 180 * MINUTE);
    await lab.settle();
    expect(lab.inbox).toEqual([]);
    const [run] = await query<{ entered_at: Date; outcome: string }>(lab.db, 'select entered_at, outcome from runs');
    expect(run!.outcome).toBe('goal');
    expect(Math.abs(run!.entered_at.getTime() - (began + 60 * MINUTE))).toBeLessThan(5_000);
  });
});

describe('the run loop', () => {
  it('a second worker takes other people than the first, and as many', async () => {
    await lab.tell(Array.from({ length: 40 }, (_, n) => cart(`p${n}@example.com`, 49)));
    await moveClockTo(lab.db, (await lab.now()) + 60 * MINUTE);
    const now = await lab.now();
    await lab.db.transaction(async (first) => {
      const mine = await claimDue(first, now, 10);
      await lab.db.transaction(async (second) => {
        const theirs = await claimDue(second, now, 10);
        expect([mine.length, theirs.length]).toEqual([10, 10]);
        const people = new Set([...mine, ...theirs].map((row) => row.person_id));
        expect(people.size).toBe(20);
      });
    });
  });

  it('two workers move everything once, and both take part', async () => {
    await lab.tell(Array.from({ length: 200 }, (_, n) => cart(`p${n}@example.com`, 49)));
    await moveClockTo(lab.db, (await lab.now()) + 60 * MINUTE);
    const work = async () => {
      let moved = 0;
      for (let count = await tick(lab.db, 20); count; count = await tick(lab.db, 20)) moved += count;
      return moved;
    };
    const [one, two] = await Promise.all([work(), work()]);
    expect(one! + two!).toBe(200);
    expect(Math.min(one!, two!)).toBeGreaterThan(0);
    expect(
      await query(lab.db, `select count(*)::int as runs, count(distinct person_id)::int as people from traces where kind = 'entered'`),
    ).toEqual([{ runs: 200, people: 200 }]);
  });

  it('a run that breaks is set aside with its error, shown, tried again later, and stops nobody else', async () => {
    await lab.tell([cart('odd@example.com', 49), cart('fine@example.com', 49)]);
    // a version that no code can read any more
    await query(
      lab.db,
      `insert into flow_versions (flow_id, version, document, published_at, published_by) select id, 99, '{"schema": "viatic.flow/0"}', now(), 'test'
        from flows`,
    );
    await query(
      lab.db,
      `update runs set version = 99, phase = 'inside', entered_at = now(), step = 'a-day', wait_until = now(), wake_at = now() where person_id = :id`,
      { id: await idOf('odd@example.com') },
    );
    await lab.pass('PT61M');
    expect(lab.inbox.map((mail) => (mail.to as { text: string }).text)).toEqual(['fine@example.com']);
    const [run] = await query<{ broken: string; tries: number; wake_at: Date }>(
      lab.db,
      'select broken, tries, wake_at from runs where broken is not null',
    );
    expect(run!.tries).toBeGreaterThan(0);
    expect(run!.wake_at.getTime()).toBeGreaterThan(await lab.now());
    expect(await flowReport(lab.db, 'cart-left-behind', url)).toMatchObject({ broken: 1 });
    // mended, it goes on by itself
    await query(lab.db, `update flow_versions set document = (select document from flow_versions where version = 1) where version = 99`);
    await lab.pass('P2D');
    expect(await query(lab.db, 'select 1 from runs where broken is not null')).toEqual([]);
    expect(lab.inbox.some((mail) => (mail.to as { text: string }).text === 'odd@example.com')).toBe(true);
  });

  it('one that cannot be stored is found among the others, which go on', async () => {
    await lab.tell(Array.from({ length: 6 }, (_, n) => cart(`p${n}@example.com`, 49)));
    await query(lab.db, `alter table traces add constraint no_p3 check (person_id <> ${await idOf('p3@example.com')})`);
    await lab.pass('PT61M');
    expect(lab.inbox).toHaveLength(5);
    expect(await query(lab.db, 'select tries from runs where broken is not null')).toEqual([{ tries: 1 }]);
    await query(lab.db, 'alter table traces drop constraint no_p3');
    await lab.pass('PT10M');
    expect(lab.inbox).toHaveLength(6);
  });
});

describe('just before a message is handed over', () => {
  const taken: string[] = [];
  const send = async () => {
    taken.length = 0;
    const refs = await query<{ person_id: string; id: string }>(lab.db, `select person_id, id from sends where state = 'queued'`);
    const context = {
      db: lab.db,
      url: 'http://x',
      secret: 'a-secret-for-tests-of-32-characters!',
      mailer: {
        close: () => {},
        send: async (mail: { to: { address: string } }) => {
          taken.push(mail.to.address);
          return { taken: true as const };
        },
      },
    };
    await dispatch(
      context,
      refs.map((row): SendRef => ({ personId: row.person_id, id: row.id })),
    );
  };
  beforeEach(async () => {
    await lab.tell(cart('robin@example.com', 49));
    await later(60);
    expect(await waiting()).toEqual([{ state: 'queued', reason: null }]);
  });

  it('it goes out when nothing has happened since', async () => {
    await send();
    expect(taken).toEqual(['robin@example.com']);
  });

  it.each([
    [
      'the goal was reached, though the loop has not come round',
      'the goal was reached before it went out',
      async () => void (await lab.tell(order('robin@example.com', { cartId: 'other' }))),
    ],
    [
      'the goal was reached, and the run has ended',
      'the goal was reached before it went out',
      async () => {
        await lab.tell(order('robin@example.com', { cartId: 'other' }));
        await drain(lab.db);
      },
    ],
    [
      'what started it turns out not to be so',
      'what had started it turned out not to be so: placed an order for it',
      async () =>
        void (await lab.tell(order('robin@example.com', { cartId: 'cart-of-robin@example.com' }, (await lab.now()) - 30 * MINUTE))),
    ],
    [
      'the message was switched off in a new version',
      'this message was switched off before it went out',
      () => publish((document) => changeStep(document, 'small-cart', (step) => ({ ...step, off: true }) as SendStep)),
    ],
    [
      'somebody took the person out',
      'the run had ended before it went out',
      async () => void (await query(lab.db, `update runs set phase = 'ended', outcome = 'left', step = null, wake_at = null`)),
    ],
  ])('%s: it is not sent, and the reason stands on it', async (_, reason, happen) => {
    await happen();
    await send();
    expect(taken).toEqual([]);
    expect(await waiting()).toEqual([{ state: 'skipped', reason }]);
  });

  it('the flow is paused: it is kept back, and goes out as the flow goes on, or is let pass', async () => {
    await switchFlow(lab.db, 'cart-left-behind', 'paused', 'Marla');
    await send();
    expect(taken).toEqual([]);
    expect(await waiting()).toEqual([{ state: 'queued', reason: null }]);
    expect(await dueMeanwhile(lab.db, 'cart-left-behind')).toMatchObject({ people: 1, steps: [{ isMessage: true, people: 1 }] });
    await switchFlow(lab.db, 'cart-left-behind', 'on', 'Marla');
    await send();
    expect(taken).toEqual(['robin@example.com']);
    await lab.tell(cart('kim@example.com', 49));
    await later(60);
    await switchFlow(lab.db, 'cart-left-behind', 'paused', 'Marla');
    await send();
    await switchFlow(lab.db, 'cart-left-behind', 'on', 'Marla', 'drop');
    expect((await waiting()).at(-1)).toEqual({ state: 'skipped', reason: 'it fell due while the flow was paused' });
  });

  it('the run is through with its steps, waits for no goal, and what started it turns out not to be so', async () => {
    await publish((document) => ({ ...document, goal: null, steps: document.steps.slice(0, 1) }));
    await lab.tell(cart('kim@example.com', 49));
    await later(60);
    await lab.tell(order('kim@example.com', { cartId: 'cart-of-kim@example.com' }, (await lab.now()) - 30 * MINUTE));
    await drain(lab.db);
    expect(await query(lab.db, 'select phase, outcome from runs where person_id = :id', { id: await idOf('kim@example.com') })).toEqual([
      { phase: 'ended', outcome: 'completed' },
    ]);
    await send();
    expect(taken).toEqual(['robin@example.com']);
    expect((await waiting()).at(-1)).toEqual({
      state: 'skipped',
      reason: 'what had started it turned out not to be so: placed an order for it',
    });
  });

  it('the stay rule fails', async () => {
    await publish((document) => ({ ...document, goal: null, stay: { test: 'tag', tag: 'gone', has: false } }));
    await lab.tell(cart('kim@example.com', 49));
    await later(60);
    await query(lab.db, `insert into person_tags (person_id, tag, at, by) values (:id, 'gone', now(), 'test')`, {
      id: await idOf('kim@example.com'),
    });
    await send();
    expect(taken).toEqual(['robin@example.com']);
    expect((await waiting())[1]).toEqual({ state: 'skipped', reason: 'the stay rule did not hold any more' });
  });
});

describe('two people who turn out to be one', () => {
  it('of two runs about the same cart one goes on, and nobody gets two reminders', async () => {
    await lab.tell([cart('a@example.com', 49, { cartId: 'shared' }), cart('b@example.com', 49, { cartId: 'shared' })]);
    await lab.pass('PT61M');
    expect(lab.inbox).toHaveLength(2);
    await mergePeople(lab.db, `~${await idOf('a@example.com')}`, `~${await idOf('b@example.com')}`, 'Marla');
    await lab.pass('P2D');
    expect(lab.inbox).toHaveLength(3);
    const [left] = await query<{ email: string }>(lab.db, 'select email from people');
    expect((await says(left!.email)).filter((one) => one.startsWith('Left: two people turned out to be one'))).toHaveLength(1);
  });

  it('a device that turns out to be somebody else’s takes its cart along: it is their reminder, with what was in it', async () => {
    const byDevice = (email: string | null, more: object, at: number) =>
      happening(
        email ? 'page.viewed' : 'cart.updated',
        { ...more, person: { device: 'device-0001', ...(email && { email, consent: { email: true } }) } },
        { time: new Date(at).toISOString() },
      );
    const now = await lab.now();
    await lab.tell(byDevice('a@example.com', {}, now - 50 * MINUTE));
    await lab.tell(
      byDevice(
        null,
        {
          cartId: 'k1',
          currency: 'EUR',
          value: 149,
          items: [{ sku: 'QF-T060', name: 'Shoreline tank 60 l', quantity: 1, price: 149 }],
          checkoutUrl: 'http://shop.example/cart/k1',
        },
        now - 40 * MINUTE,
      ),
    );
    // somebody else was at that device before
    await lab.tell(byDevice('b@example.com', {}, now - 55 * MINUTE));
    await lab.pass('PT30M');
    expect(lab.inbox.map((mail) => [(mail.to as { text: string }).text, mail.text!.includes('Shoreline tank 60 l')])).toEqual([
      ['b@example.com', true],
    ]);
    expect(await says('a@example.com')).toEqual(['Did not enter: the event cart.updated is not on file']);
    await lab.pass('P2D');
    expect(lab.inbox.every((mail) => (mail.to as { text: string }).text === 'b@example.com')).toBe(true);
  });
});
