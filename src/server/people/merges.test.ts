import fc from 'fast-check';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { query } from '@/data/db';
import { changeConsent } from './consent';
import { erasePerson } from './erase';
import { happening, openLab, type Lab } from '../testing/lab';
import {
  editPerson,
  enterConsent,
  listPeopleOn,
  mergePeople,
  personTimeline,
  personView,
  startFlow,
  tagPerson,
  takeOut,
  undoMerge,
  whyNot,
} from '.';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab();
});
afterAll(() => lab.close());
const empty = () => lab.empty('erased_counts', 'erased_addresses');
beforeEach(empty);

const day = (n: number) => `2026-11-${String(n).padStart(2, '0')}T10:00:00Z`;
const seen = (
  who: { subject?: string; email?: string; device?: string; phone?: string },
  more: { at?: string; person?: object; type?: string; data?: object } = {},
) =>
  happening(
    more.type ?? 'page.viewed',
    {
      ...more.data,
      person: {
        ...(who.email && { email: who.email }),
        ...(who.device && { device: who.device }),
        ...(who.phone && { phone: who.phone }),
        ...more.person,
      },
    },
    { ...(who.subject && { subject: who.subject }), ...(more.at && { time: more.at }) },
  );
const order = (who: Parameters<typeof seen>[0], orderId: string, value: number, at: string) =>
  seen(who, { at, type: 'order.placed', data: { orderId, currency: 'EUR', value } });

/** People as they can be compared: what each is known by, how many events, which orders, what those come to. */
const state = async () =>
  query(
    lab.db,
    `
  select external_id, attributes - 'email' as attributes, array(select kind || ':' || value from identifiers i where i.person_id = p.id
    order by 1) as known_by, (select count(*)::int from events e where e.person_id = p.id) as events,
    array(select order_id || ' ' || value_minor || ' ' || refunded_minor from orders o where o.person_id = p.id
      order by 1) as orders, coalesce((select orders || ' orders ' || net_minor from standing s where s.person_id = p.id), 'none') as totals
  from people p order by 3`,
  );

describe('one person in the end', () => {
  it('anonymous browsing becomes the person’s when they identify, and their page shows it', async () => {
    await lab.tell([
      seen({ device: 'device-0001' }, { at: day(1), type: 'product.viewed', data: { sku: 'QF-T060' } }),
      seen({ device: 'device-0001' }, { at: day(2) }),
    ]);
    expect(await state()).toMatchObject([{ known_by: ['device:device-0001'], events: 2 }]);
    await lab.tell(seen({ device: 'device-0001', email: 'robin@example.com' }, { at: day(3) }));
    expect(await state()).toMatchObject([{ known_by: ['device:device-0001', 'email:robin@example.com'], events: 3 }]);
    const [row] = await query<{ id: string }>(lab.db, 'select id from people');
    const story = await personTimeline(lab.db, `~${row!.id}`, new URL('http://x/'));
    expect(story.items.map((item) => item.type)).toEqual(['page.viewed', 'page.viewed', 'product.viewed']);
  });

  it('what is said on a device alone is not taken for its owner’s word', async () => {
    await lab.tell(
      seen({ device: 'device-0001', email: 'robin@example.com' }, { person: { firstName: 'Robin', consent: { email: false } } }),
    );
    await lab.tell(seen({ device: 'device-0001' }, { person: { firstName: 'Somebody', consent: { email: true } } }));
    expect(
      await query(
        lab.db,
        `select attributes->>'firstName' as name, (select state from consents c where c.person_id = p.id) as consent from people p`,
      ),
    ).toEqual([{ name: 'Robin', consent: 'withdrawn' }]);
  });

  it('a phone number identifies in its international form, whatever the spelling; a household’s joins nobody', async () => {
    await lab.tell([
      seen({ email: 'a@example.com', phone: '06 12345678' }, { at: day(1), person: { country: 'Netherlands' } }),
      seen({ email: 'b@example.com', phone: '+31 6 1234 5678' }, { at: day(2) }),
      seen({ phone: '+31612345678' }, { at: day(3) }),
    ]);
    expect((await state()).map((one) => one as { known_by: string[]; events: number })).toMatchObject([
      { known_by: ['email:a@example.com', 'phone:+31612345678'], events: 2 },
      { known_by: ['email:b@example.com'], events: 1 },
    ]);
    const [row] = await query<{ id: string }>(lab.db, `select id from people where email = 'b@example.com'`);
    expect((await personView(lab.db, `~${row!.id}`)).maybeSame).toMatchObject([
      { email: 'a@example.com', because: 'used the phone +31612345678' },
    ]);
  });

  it('what a device alone had told moves with it, orders and what is not yet an order too: nothing of it stays behind', async () => {
    const byDevice = { device: 'device-0001' };
    await lab.tell([
      seen({ email: 'a@example.com', ...byDevice }, { at: day(2) }),
      seen(byDevice, { at: day(1), type: 'order.refunded', data: { orderId: 'early', value: 1 } }),
      order(byDevice, 'o1', 30, day(3)),
    ]);
    expect(await query(lab.db, 'select p.email, o.order_id from orders o join people p on p.id = o.person_id order by 2')).toEqual([
      { email: 'a@example.com', order_id: 'early' },
      { email: 'a@example.com', order_id: 'o1' },
    ]);
    // somebody else turns out to have been there first
    await lab.tell(seen({ email: 'b@example.com', ...byDevice }, { at: day(1) }));
    expect(await query(lab.db, 'select p.email, o.order_id from orders o join people p on p.id = o.person_id order by 2')).toEqual([
      { email: 'b@example.com', order_id: 'early' },
      { email: 'b@example.com', order_id: 'o1' },
    ]);
    expect(await query(lab.db, 'select p.email, s.orders, s.net_minor from standing s join people p on p.id = s.person_id')).toEqual([
      { email: 'b@example.com', orders: 1, net_minor: '3000' },
    ]);
  });

  it('an id that turns out, late, to have been used first is theirs: told after the other or before', async () => {
    await lab.tell(seen({ subject: 'c2', email: 'a@example.com' }, { at: day(11) }));
    await lab.tell(seen({ subject: 'c2' }, { at: day(4) }));
    await lab.tell(seen({ subject: 'c1', email: 'a@example.com' }, { at: day(5) }));
    expect(await query(lab.db, 'select external_id, external_at, created_at from people')).toEqual([
      { external_id: 'c2', external_at: new Date(day(4)), created_at: new Date(day(4)) },
    ]);
  });

  it('law: any order and repetition of events, identifications and merges ends in the same people, orders and totals', async () => {
    const who = fc.constantFrom<Parameters<typeof seen>[0]>(
      { subject: 'c1' },
      { subject: 'c2' },
      { email: 'a@example.com' },
      { email: 'b@example.com' },
      { subject: 'c1', email: 'a@example.com' },
      { subject: 'c2', email: 'b@example.com' },
      { subject: 'c2', email: 'a@example.com' },
      { device: 'device-0001' },
      { email: 'a@example.com', device: 'device-0001' },
      { email: 'b@example.com', device: 'device-0001' },
    );
    const act = fc.tuple(
      who,
      fc.integer({ min: 1, max: 20 }),
      fc.constantFrom('view', 'order', 'refund', 'name'),
      fc.integer({ min: 1, max: 3 }),
    );
    const build = (acts: [Parameters<typeof seen>[0], number, string, number][]) =>
      acts.map(([whose, at, what, n], index) => ({
        ...(what === 'order'
          ? order(whose, `o${n}-${whose.subject ?? whose.email ?? whose.device}`, n * 10, day(at))
          : what === 'refund'
            ? seen(whose, {
                at: day(at),
                type: 'order.refunded',
                data: { orderId: `o${n}-${whose.subject ?? whose.email ?? whose.device}`, value: n },
              })
            : seen(whose, { at: day(at), ...(what === 'name' && !whose.device && { person: { firstName: `N${n}` } }) })),
        id: `law-${index}`,
      }));
    await fc.assert(
      fc.asyncProperty(
        fc.array(act, { minLength: 3, maxLength: 8 }).chain((acts) => {
          const events = build(acts as never);
          return fc.tuple(
            fc.constant(events),
            fc.shuffledSubarray([...events, ...events.slice(0, 3)], { minLength: Math.min(events.length, 3) + events.length }),
            fc.integer({ min: 1, max: 4 }),
          );
        }),
        async ([events, shuffled, size]) => {
          await empty();
          await lab.tell(events);
          const expected = await state();
          await empty();
          for (let i = 0; i < shuffled.length; i += size) expect((await lab.tell(shuffled.slice(i, i + size))).rejected).toEqual([]);
          expect(await state()).toEqual(expected);
        },
      ),
      { numRuns: 40 },
    );
  });
});

describe('a merge', () => {
  const two = async () => {
    await lab.tell([
      seen({ subject: 'c1' }, { at: day(1), person: { firstName: 'Robin', country: 'NL', consent: { email: true } } }),
      order({ subject: 'c1' }, 'o1', 40, day(2)),
      seen({ email: 'robin@example.com' }, { at: day(3), person: { firstName: 'Rob', consent: { email: false } } }),
      order({ email: 'robin@example.com' }, 'o2', 25, day(4)),
    ]);
    const [one, other] = await query<{ id: string }>(lab.db, 'select id from people order by id');
    await tagPerson(lab.db, `~${other!.id}`, 'keeper', true, 'test');
    return [one!.id, other!.id] as const;
  };

  it('keeps all events, the newest word, the stricter consent and the older id; it is written down, and undone both are as they were', async () => {
    const [oneId, otherId] = await two();
    const before = await state();
    await lab.tell(seen({ subject: 'c1', email: 'robin@example.com' }, { at: day(5) }));
    expect(await state()).toMatchObject([
      {
        external_id: 'c1',
        attributes: { firstName: 'Rob', country: 'NL' },
        known_by: ['email:robin@example.com', 'external:c1'],
        events: 5,
        orders: ['o1 4000 0', 'o2 2500 0'],
        totals: '2 orders 6500',
      },
    ]);
    const view = await personView(lab.db, 'c1');
    expect(view.consent.email.state).toBe('withdrawn');
    expect(view.tags).toEqual(['keeper']);
    expect(view.merges).toMatchObject([
      { by: 'events', because: 'the external id c1 and the address robin@example.com', loser: { email: 'robin@example.com' } },
    ]);
    // the number of who was joined still leads to them
    expect((await personView(lab.db, `~${otherId}`)).id).toBe('c1');

    await undoMerge(lab.db, view.merges[0]!.id, 'test');
    const undone = await state();
    expect(undone).toMatchObject(
      [{ ...(before[0] as object) }, { ...(before[1] as object), events: 3 }].sort((a, b) =>
        (a as unknown as { known_by: string[] }).known_by.join() < (b as unknown as { known_by: string[] }).known_by.join() ? -1 : 1,
      ),
    );
    expect((await personView(lab.db, `~${otherId}`)).tags).toEqual(['keeper']);
    expect((await personView(lab.db, `~${oneId}`)).consent.email.state).toBe('given');
    // the address that joined them joins them no more
    await lab.tell(seen({ subject: 'c1', email: 'robin@example.com' }, { at: day(6) }));
    expect(await state()).toHaveLength(2);
    await expect(undoMerge(lab.db, view.merges[0]!.id, 'test')).rejects.toThrow('undone already');
  });

  it('by hand joins two who share nothing; after 30 days it cannot be undone', async () => {
    const [oneId, otherId] = await two();
    await mergePeople(lab.db, `~${oneId}`, `~${otherId}`, 'Marla');
    expect(await state()).toMatchObject([{ events: 4, totals: '2 orders 6500' }]);
    const { merges } = await personView(lab.db, 'c1');
    await query(lab.db, `update merges set at = at - interval '31 days'`);
    await expect(undoMerge(lab.db, merges[0]!.id, 'test')).rejects.toThrow('within 30 days');
    await expect(mergePeople(lab.db, 'c1', 'c1', 'Marla')).rejects.toThrow('one person already');
  });

  it('what happened after the merge stays with the one who goes on', async () => {
    const [oneId, otherId] = await two();
    await mergePeople(lab.db, `~${oneId}`, `~${otherId}`, 'Marla');
    await lab.tell([
      seen({ subject: 'c1' }, { at: day(9), person: { firstName: 'Roberta', plan: 'pro' } }),
      order({ subject: 'c1' }, 'o3', 5, day(9)),
    ]);
    const { merges } = await personView(lab.db, 'c1');
    await undoMerge(lab.db, merges[0]!.id, 'test');
    expect(await state()).toMatchObject([
      { known_by: ['email:robin@example.com'], attributes: { firstName: 'Rob' }, orders: ['o2 2500 0'] },
      { known_by: ['external:c1'], attributes: { firstName: 'Roberta', country: 'NL', plan: 'pro' }, orders: ['o1 4000 0', 'o3 500 0'] },
    ]);
  });
});

describe('acts on one person', () => {
  const robin = async () => {
    await lab.tell(seen({ email: 'robin@example.com' }, { person: { firstName: 'Robin', consent: { email: true } } }));
    return `~${(await query<{ id: string }>(lab.db, 'select id from people'))[0]!.id}`;
  };

  it('edits attributes: a later event wins over the edit, an older one does not, and what was taken away stays away', async () => {
    const id = await robin();
    await editPerson(lab.db, id, { attributes: { firstName: null, tank: 'Shoreline', phone: '+31 6 12345678' } }, 'Marla');
    await lab.tell(seen({ email: 'robin@example.com' }, { at: day(1), person: { firstName: 'Old', tank: 'Older' } }));
    expect((await personView(lab.db, id)).attributes).toEqual({
      email: 'robin@example.com',
      tank: 'Shoreline',
      phone: '+31612345678',
    });
    await expect(editPerson(lab.db, id, { attributes: { email: 'nonsense' } }, 'Marla')).rejects.toMatchObject({
      errors: [{ field: 'email' }],
    });
    await lab.tell(seen({ email: 'kim@example.com' }));
    await expect(editPerson(lab.db, id, { attributes: { email: 'kim@example.com' } }, 'Marla')).rejects.toThrow(
      'belongs to another person',
    );
    await editPerson(lab.db, id, { attributes: { email: 'robin.new@example.com' } }, 'Marla');
    await lab.tell(seen({ email: 'robin.new@example.com' }));
    expect(await state()).toHaveLength(2);
  });

  it('consent that is entered by hand carries who entered it, and its log cannot be edited', async () => {
    const id = await robin();
    await enterConsent(lab.db, id, { channel: 'sms', state: 'given', how: 'told us on the phone' }, 'Marla');
    const log = await query<{ channel: string; actor: string | null }>(
      lab.db,
      'select channel, state, how, actor from consent_log order by id',
    );
    expect(log).toMatchObject([{ channel: 'email' }, { channel: 'sms', state: 'given', how: 'told us on the phone', actor: 'Marla' }]);
    await expect(query(lab.db, `update consent_log set state = 'withdrawn'`)).rejects.toThrow();
    await expect(query(lab.db, `update consent_log set how = 'another'`)).rejects.toThrow('cannot be edited');
  });

  it('why not: each condition in the engine’s order, and the one that kept them out', async () => {
    const id = await robin();
    expect(await whyNot(lab.db, id, 'cart-left-behind')).toMatchObject({
      answer: 'not-started',
      says: expect.stringContaining('has never updated a cart'),
    });
    await changeConsent(lab.db, id.slice(1), { channels: { email: 'withdrawn' }, detail: { how: 'test' } });
    await lab.tell(seen({ email: 'robin@example.com' }, { type: 'cart.updated', data: { cartId: 'k1', currency: 'EUR', value: 50 } }));
    await lab.pass('PT2H');
    const why = await whyNot(lab.db, id, 'cart-left-behind');
    expect(why).toMatchObject({
      answer: 'not-entered',
      conditions: expect.arrayContaining([expect.objectContaining({ holds: false, says: 'The entry rule does not hold' })]),
    });
    expect(JSON.stringify(why.conditions)).toContain('consent to email was withdrawn');
    expect(why.runs[0]!.says).toContain('Did not enter');
  });

  it('is put into a flow by hand: it starts at once with their last cart, and they can be taken out', async () => {
    const id = await robin();
    await lab.tell(
      seen(
        { email: 'robin@example.com' },
        {
          type: 'cart.updated',
          data: {
            cartId: 'k1',
            currency: 'EUR',
            value: 20,
            items: [{ name: 'Moss ball', quantity: 2, price: 10 }],
            checkoutUrl: 'http://shop.example/c',
          },
        },
      ),
    );
    lab.inbox.length = 0;
    await startFlow(lab.db, id, 'cart-left-behind', 'Marla');
    await lab.settle();
    expect(lab.inbox.map((mail) => mail.subject)).toEqual(['You left something in your cart']);
    expect(lab.inbox[0]!.text).toContain('Moss ball');
    const { flows } = await personView(lab.db, id);
    const inside = flows.find((flow) => flow.phase === 'inside')!;
    await takeOut(lab.db, id, inside.run, 'Marla');
    expect(await query(lab.db, `select properties ->> 'outcome' as outcome from events where type = 'flow.left'`)).toContainEqual({
      outcome: 'left',
    });
    await expect(takeOut(lab.db, id, inside.run, 'Marla')).rejects.toThrow('over already');
    await expect(startFlow(lab.db, id, 'cart-left-behind', 'Marla')).rejects.toThrow('has already run for k1');
    await lab.pass('P2D');
    expect(lab.inbox).toHaveLength(1);
  });

  it('is put on a list: that is an event, and a rule can ask for it', async () => {
    const id = await robin();
    await query(
      lab.db,
      `insert into lists (key, name, created_at, created_by) values ('keepers', 'Keepers', now(), 'test') on conflict do nothing`,
    );
    expect(await listPeopleOn(lab.db, 'keepers', [id.slice(1)], true, 'test')).toHaveLength(1);
    expect(await listPeopleOn(lab.db, 'keepers', [id.slice(1)], true, 'test')).toHaveLength(0);
    expect((await personTimeline(lab.db, id, new URL('http://x/'))).items.map((item) => item.type)).toContain('list.joined');
    await expect(listPeopleOn(lab.db, 'none', [id.slice(1)], true, 'test')).rejects.toThrow('no list');
  });

  it('erased: nothing leads back, the counts and the takings stay, and a file does not bring them back', async () => {
    const id = await robin();
    await lab.tell(order({ email: 'robin@example.com' }, 'o1', 40, day(2)));
    await lab.db.transaction((trx) => erasePerson(trx, id.slice(1), 'Marla'));
    await expect(personView(lab.db, id)).rejects.toThrow('no person');
    const everything = JSON.stringify(
      await query(
        lab.db,
        `select (select json_agg(p) from people p) as people, (select json_agg(e) from events e) as events, (select json_agg(o)
          from orders o) as orders, (select json_agg(c) from consent_log c) as log, (select json_agg(i) from identifiers i) as ids`,
      ),
    );
    expect(everything).not.toMatch(/robin|o1"/i);
    expect(await query(lab.db, 'select type, count from erased_counts order by type')).toEqual([
      { type: 'order.placed', count: '1' },
      { type: 'page.viewed', count: '1' },
    ]);
    expect(await query(lab.db, 'select sum(value_minor) as taken from orders')).toEqual([{ taken: '4000' }]);
  });
});
