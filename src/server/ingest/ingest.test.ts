import fc from 'fast-check';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { query } from '@/data/db';
import { publicId } from '../people';
import { cart, happening, openLab, type Lab } from '../testing/lab';
import { ingest } from './ingest';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab();
});
afterAll(() => lab.close());
const empty = () => lab.empty('rejections');
beforeEach(empty);

const people = () =>
  query<{ id: string; external_id: string | null; email: string | null; attributes: Record<string, unknown> }>(
    lab.db,
    'select * from people order by id',
  );
const count = async (table: string) => (await query<{ n: number }>(lab.db, `select count(*)::int as n from ${table}`))[0]!.n;
const order = (orderId: string, value: number, more: object = {}) =>
  happening('order.placed', { orderId, currency: 'EUR', value, person: { email: 'a@example.com' } }, more);

describe('taking events in', () => {
  it('the same source and id count once, in one batch and in the next', async () => {
    const event = cart('a@example.com', 50);
    expect(await lab.tell([event, event])).toEqual({ accepted: 1, duplicates: 1, rejected: [] });
    expect(await lab.tell(event)).toEqual({ accepted: 0, duplicates: 1, rejected: [] });
    expect(await lab.tell({ ...event, source: 'another' })).toMatchObject({ accepted: 1 });
    expect(await count('events')).toBe(2);
  });

  it('one bad event does not reject its batch, and each bad field is named with the mend', async () => {
    const answer = await lab.tell([
      cart('a@example.com', 50),
      happening('cart.updated', { cartId: 5, currency: 'XXY', value: -1, items: 'none', person: { email: 'a\nb@example.com' } }),
      7,
      null,
    ]);
    expect(answer.accepted).toBe(1);
    expect(answer.rejected.map((one) => one.index)).toEqual([1, 2, 3]);
    const fields = Object.fromEntries(answer.rejected[0]!.problems.map((p) => [p.field, p]));
    expect(Object.keys(fields).sort()).toEqual(['data.cartId', 'data.currency', 'data.items', 'data.person.email', 'data.value']);
    expect(fields['data.currency']).toMatchObject({ wrong: 'is not a currency of ISO 4217', right: 'three capital letters such as EUR' });
    for (const problem of answer.rejected.flatMap((one) => one.problems)) expect(problem.right.length).toBeGreaterThan(3);
  });

  it.each([
    ['a date in the year 20000', { time: '+020000-01-01T00:00:00Z' }, 'time'],
    ['a date without an offset', { time: '2026-11-24T10:00:00' }, 'time'],
    ['a date far ahead', { time: '2099-01-01T00:00:00Z' }, 'time'],
    ['a type that is none', { type: 'Cart Updated' }, 'type'],
    ['a type of our own', { type: 'message.opened' }, 'type'],
    ['word that somebody is in a flow', { type: 'flow.entered' }, 'type'],
    ['word that somebody is in a segment', { type: 'segment.joined' }, 'type'],
    ['an empty id', { id: '' }, 'id'],
    ['a zone that is none', { data: { person: { email: 'a@example.com', zone: 'Mars/Base' } } }, 'data.person.zone'],
    ['U+0000 in a text', { data: { note: 'a\u0000b', person: { email: 'a@example.com' } } }, 'data.note'],
    ['half a surrogate pair', { data: { note: '\ud800', person: { email: 'a@example.com' } } }, 'data.note'],
    ['an infinite number', { data: { value: JSON.parse('1e309') as number, person: { email: 'a@example.com' } } }, 'data.value'],
    ['nobody it belongs to', { data: {} }, 'subject'],
  ])('refuses %s and stores nothing of it', async (_what, change, field) => {
    const answer = await lab.tell({ ...happening('page.viewed', { person: { email: 'a@example.com' } }), ...change });
    expect(answer.rejected[0]!.problems.map((p) => p.field)).toContain(field);
    expect([await count('events'), await count('people'), await count('event_keys')]).toEqual([0, 0, 0]);
  });

  it('an amount beyond what the ledger holds is refused, the largest possible one is taken', async () => {
    expect((await lab.tell(order('big', 10_000_000))).accepted).toBe(1);
    expect((await lab.tell(order('bigger', 10_000_001))).rejected[0]!.problems[0]!.field).toBe('data.value');
  });

  it('events of any month are stored, old ones too', async () => {
    await lab.tell([
      happening('page.viewed', { person: { email: 'a@example.com' } }, { time: '2003-05-01T00:00:00Z' }),
      happening('page.viewed', { person: { email: 'a@example.com' } }),
    ]);
    expect(await count('events')).toBe(2);
    expect(await count('events_other')).toBe(1);
  });
});

describe('whose event it is', () => {
  const seen = (more: { subject?: string; email?: string; person?: object; at?: string }) =>
    happening(
      'page.viewed',
      { person: { ...(more.email && { email: more.email }), ...more.person } },
      { ...(more.subject && { subject: more.subject }), ...(more.at && { time: more.at }) },
    );

  it('an address without an external id becomes the person who later brings both', async () => {
    await lab.tell(seen({ email: 'A@Example.com' }));
    await lab.tell(seen({ subject: 'c1', email: 'a@example.com' }));
    expect(await people()).toMatchObject([{ external_id: 'c1', email: 'a@example.com' }]);
    expect(publicId((await people())[0]!)).toBe('c1');
  });

  it('two people who turn out to be one are merged: events, orders and the stricter consent move along', async () => {
    await lab.tell(seen({ subject: 'c1', person: { country: 'NL' } }));
    await lab.tell([order('o1', 40), happening('page.viewed', { person: { email: 'a@example.com', consent: { email: false } } })]);
    expect(await people()).toHaveLength(2);
    await lab.tell(seen({ subject: 'c1', email: 'a@example.com', person: { consent: { email: true } }, at: '2026-01-01T00:00:00Z' }));
    expect(await people()).toMatchObject([{ external_id: 'c1', email: 'a@example.com', attributes: { country: 'NL' } }]);
    expect([await count('events'), await count('orders'), await count('merges')]).toEqual([4, 1, 1]);
    expect(await query(lab.db, 'select state from consents')).toEqual([{ state: 'withdrawn' }]);
    expect(await query(lab.db, 'select distinct person_id from orders')).toEqual([{ person_id: (await people())[0]!.id }]);
  });

  it('two external ids with one address are one person, and the older id is theirs, whichever came first', async () => {
    await lab.tell(seen({ subject: 'c2', email: 'a@example.com', at: '2026-11-02T10:00:00Z' }));
    await lab.tell(seen({ subject: 'c1', email: 'a@example.com', at: '2026-11-01T10:00:00Z' }));
    expect(await people()).toMatchObject([{ external_id: 'c1' }]);
    await lab.tell(seen({ subject: 'c2' }));
    expect(await people()).toHaveLength(1);
  });

  it('the mailbox of an office joins nobody: whoever writes it keeps their own record, and alone it is a record of its own', async () => {
    await lab.tell([
      seen({ subject: 'c1', email: 'info@example.com' }),
      seen({ subject: 'c2', email: 'info@example.com' }),
      seen({ email: 'info@example.com' }),
    ]);
    expect(await people()).toMatchObject([{ external_id: 'c1' }, { external_id: 'c2' }, { external_id: null, email: 'info@example.com' }]);
  });

  it('a cancellation that names only the order belongs to who ordered; one of an unknown order waits for it', async () => {
    await lab.tell(order('o1', 40));
    const answer = await lab.tell([happening('order.cancelled', { orderId: 'o1' }), happening('order.refunded', { orderId: 'nobody' })]);
    expect(answer).toEqual({ accepted: 2, duplicates: 0, rejected: [] });
    expect(await query(lab.db, 'select is_cancelled from orders')).toEqual([{ is_cancelled: true }]);
    expect(await query(lab.db, 'select order_id from waiting_order_events')).toEqual([{ order_id: 'nobody' }]);
  });

  it('what is told of an order together with the order is about who placed it, in whatever order they stand', async () => {
    const placed = order('b1', 40);
    const refund = happening('order.refunded', { orderId: 'b1', value: 10 });
    for (const batch of [
      [placed, refund],
      [refund, placed],
    ]) {
      await empty();
      expect(await lab.tell(batch)).toEqual({ accepted: 2, duplicates: 0, rejected: [] });
      expect(await query(lab.db, 'select order_id, refunded_minor from orders')).toEqual([{ order_id: 'b1', refunded_minor: '1000' }]);
      expect(await count('people')).toBe(1);
    }
  });

  it('the same events, shuffled, repeated and cut into any batches, end in the same people, orders and totals', async () => {
    const day = (n: number) => `2026-11-${String(n).padStart(2, '0')}T10:00:00Z`;
    const events = [
      seen({ subject: 'c1', person: { country: 'NL' }, at: day(1) }),
      seen({ email: 'a@example.com', person: { firstName: 'Robin', country: 'DE' }, at: day(2) }),
      seen({ subject: 'c1', email: 'a@example.com', person: { consent: { email: true } }, at: day(3) }),
      order('o1', 40, { time: day(4) }),
      happening('order.refunded', { orderId: 'o1', value: 15, person: { email: 'a@example.com' } }, { time: day(5) }),
      happening('order.cancelled', { orderId: 'o2' }, { time: day(7), subject: 'c1' }),
      happening('order.placed', { orderId: 'o2', currency: 'EUR', value: 99 }, { time: day(6), subject: 'c1' }),
      seen({ subject: 'c2', email: 'b@example.com', person: { consent: { email: false } }, at: day(8) }),
    ];
    const state = async () => ({
      people: await query(
        lab.db,
        `select external_id, attributes, (select state from consents c where c.person_id = p.id) as consent, (select count(*)::int from events e
          where e.person_id = p.id) as events from people p order by external_id`,
      ),
      orders: await query(lab.db, 'select order_id, value_minor, refunded_minor, is_cancelled, placed_at from orders order by order_id'),
    });
    await lab.tell(events);
    const expected = await state();
    expect(expected.people).toHaveLength(2);
    await fc.assert(
      fc.asyncProperty(
        fc.shuffledSubarray([...events, ...events.slice(0, 5)], { minLength: events.length + 5 }),
        fc.integer({ min: 1, max: 6 }),
        async (shuffled, size) => {
          await empty();
          // someone who only ever sends a bare cancellation by subject is known by that subject
          for (let i = 0; i < shuffled.length; i += size) expect((await lab.tell(shuffled.slice(i, i + size))).rejected).toEqual([]);
          expect(await state()).toEqual(expected);
        },
      ),
      { numRuns: 25 },
    );
  });

  it('many at once about the same people neither lose nor double anything', async () => {
    const batches = Array.from({ length: 12 }, (_, n) =>
      Array.from({ length: 20 }, (_, i) =>
        happening(
          'page.viewed',
          { person: { email: `p${i % 7}@example.com` } },
          { id: `once-${n % 6}-${i}`, ...(i % 3 === 0 && { subject: `c${i % 7}` }) },
        ),
      ),
    );
    const answers = await Promise.all(batches.map((batch) => lab.tell(batch)));
    expect(answers.reduce((sum, a) => sum + a.accepted, 0)).toBe(120);
    expect([await count('events'), await count('people')]).toEqual([120, 7]);
  });
});

describe('consent that comes with events', () => {
  const agree = (email: boolean, time: string) =>
    happening('page.viewed', { person: { email: 'a@example.com', consent: { email, wording: 'Yes, write to me' } } }, { time });

  it('the later word counts, and each change is in the log with how and with what words', async () => {
    await lab.tell(agree(true, '2026-11-02T10:00:00Z'));
    await lab.tell(agree(false, '2026-11-01T10:00:00Z'));
    expect(await query(lab.db, 'select state from consents')).toEqual([{ state: 'given' }]);
    await lab.tell(agree(false, '2026-11-03T10:00:00Z'));
    expect(await query(lab.db, 'select state, how, wording from consent_log order by at')).toEqual([
      { state: 'given', how: 'page.viewed from test', wording: 'Yes, write to me' },
      { state: 'withdrawn', how: 'page.viewed from test', wording: 'Yes, write to me' },
    ]);
  });

  it('what several events of one delivery say alike is on file, in whatever order they come', async () => {
    await lab.tell([agree(true, '2026-11-01T10:00:00Z'), agree(true, '2026-11-02T10:00:00Z'), agree(true, '2026-11-02T10:00:00Z')]);
    expect(await query(lab.db, 'select state from consents')).toEqual([{ state: 'given' }]);
    await lab.tell([agree(false, '2026-11-05T10:00:00Z'), agree(true, '2026-11-04T10:00:00Z'), agree(false, '2026-11-06T10:00:00Z')]);
    expect(await query(lab.db, 'select state from consents')).toEqual([{ state: 'withdrawn' }]);
  });
});

describe('requests that come together', () => {
  it('each is answered for its own events, and one that all of them bring counts once', async () => {
    const shared = cart('a@example.com', 50, { id: 'shared' });
    const answers = await Promise.all(
      Array.from({ length: 10 }, (_, n) =>
        lab.tell([shared, cart(`p${n}@example.com`, 20), happening('order.refunded', { orderId: `none-${n}` }), 5 as never]),
      ),
    );
    expect(answers.reduce((sum, answer) => sum + answer.accepted, 0)).toBe(21);
    expect(answers.reduce((sum, answer) => sum + answer.duplicates, 0)).toBe(9);
    for (const answer of answers) expect(answer.rejected.map((one) => one.index)).toEqual([3]);
  });

  it('each keeps the source it came through, is counted there, and history starts nothing beside what is new', async () => {
    const doors = [{ sourceId: 1 }, { sourceId: 2, startsNothing: true }, { sourceId: 3 }];
    await Promise.all(
      [...doors, ...doors].map((door, n) => ingest(lab.db, [cart(`q${n}@example.com`, 20), cart(`q${n}@example.com`, 30)], door)),
    );
    expect(await query(lab.db, `select source_id, count(*)::int as n from events group by 1 order by 1`)).toEqual(
      [1, 2, 3].map((source_id) => ({ source_id, n: 4 })),
    );
    expect(
      await query(lab.db, `select source_id, sum(accepted)::int as n from arrivals where source_id in (1, 2, 3) group by 1 order by 1`),
    ).toEqual([1, 2, 3].map((source_id) => ({ source_id, n: 4 })));
    expect(
      (await query<{ email: string }>(lab.db, `select p.email from runs r join people p on p.id = r.person_id order by 1`)).map(
        (row) => row.email,
      ),
    ).toEqual(['q0@example.com', 'q2@example.com', 'q3@example.com', 'q5@example.com']);
  });

  it('runs wake for what happened to their own person, and not for what happened to another in the same batch', async () => {
    await lab.tell([happening('page.viewed', {}, { subject: 'w1' }), happening('page.viewed', {}, { subject: 'w2' })]);
    await query(
      lab.db,
      `insert into runs (person_id, flow_id, version, key, phase, armed_at, entered_at, wakes_on)
        select id, 1, 1, '', 'inside', now(), now(), '{lesson.finished,attribute/firstName}' from people`,
    );
    const awake = async () =>
      (
        await query<{ external_id: string }>(
          lab.db,
          `select p.external_id from runs r join people p on p.id = r.person_id where r.wake_at is not null order by 1`,
        )
      ).map((row) => row.external_id);
    await lab.tell([happening('lesson.finished', {}, { subject: 'w1' }), happening('page.viewed', {}, { subject: 'w2' })]);
    expect(await awake()).toEqual(['w1']);
    await lab.tell([
      happening('page.viewed', { person: { firstName: 'Wil' } }, { subject: 'w2' }),
      happening('page.viewed', {}, { subject: 'w1' }),
    ]);
    expect(await awake()).toEqual(['w1', 'w2']);
    // what was known already is no change
    await query(lab.db, 'update runs set wake_at = null');
    await lab.tell(happening('page.viewed', { person: { firstName: 'Wil' } }, { subject: 'w2' }));
    expect(await awake()).toEqual([]);
    expect(await query(lab.db, `select attributes->>'firstName' as name from people where external_id = 'w2'`)).toEqual([{ name: 'Wil' }]);
  });
});

describe('how large an event may be', () => {
  const sized = (characters: number, fill: string) =>
    happening(
      'page.viewed',
      { note: fill.repeat(Math.floor((characters - '{"note":""}{}'.length) / JSON.stringify(fill).slice(1, -1).length)) },
      { subject: 'large' },
    );

  it.each(['x', '"', '\u0001'])('64 kB of %j as JSON, not more', async (fill) => {
    expect(await lab.tell(sized(65_536, fill))).toMatchObject({ accepted: 1, rejected: [] });
    expect(await lab.tell(sized(65_550, fill))).toMatchObject({
      accepted: 0,
      rejected: [{ problems: [{ field: 'data', wrong: 'is larger than 64 kB' }] }],
    });
  });
});
