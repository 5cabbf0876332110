import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { flowSchema, type Step } from '@/core/flows';
import { flowWith, letter } from '@/core/flows/testing/asking';
import { query } from '@/data/db';
import { cartLeftBehind } from '../../demo/flows';
import { cart, happening, openLab, type Lab } from '../testing/lab';
import { rehearse } from './rehearse';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab();
});
afterAll(() => lab.close());

const added = {
  after: 'PT1M',
  type: 'cart.updated',
  data: { cartId: 'c1', value: 140, currency: 'EUR', items: [], checkoutUrl: 'http://x/c' },
};
const bought = (after: string) => ({ after, type: 'order.placed', data: { orderId: 'o1', cartId: 'c1', value: 140, currency: 'EUR' } });
const steps = async (body: object) =>
  (await rehearse(lab.db, 'cart-left-behind', body)).people.map((one) => one.sends.map(({ step }) => step));

describe('a rehearsal', () => {
  it('is the flow as it would run: a person with a 140 cart who orders after the first mail gets no second', async () => {
    expect(await steps({ events: [added] })).toEqual([['big-cart', 'reminder']]);
    expect(await steps({ events: [added, bought('PT5H')] })).toEqual([['big-cart']]);
    expect(await steps({ events: [added, bought('PT30M')] })).toEqual([[]]);
  });

  it('says each decision, shows each message as it would look, and when it goes on', async () => {
    const { people } = await rehearse(lab.db, 'cart-left-behind', {
      madeUp: { attributes: { firstName: 'Robin <b>' } },
      events: [added],
      until: new Date((await lab.now()) + 3 * 3_600_000).toISOString(),
    });
    const [one] = people;
    expect(one!.runs[0]).toMatchObject({ key: 'c1', phase: 'inside', next: { says: expect.stringMatching(/^Wait/) } });
    expect(one!.runs[0]!.trace.map(({ says }) => says)[0]).toMatch(/^Entered: /);
    expect(one!.sends[0]).toMatchObject({ channel: 'email', step: 'big-cart' });
    expect(one!.sends[0]!.html).toContain('Robin &lt;b&gt;');
    expect(one!.events.map(({ type }) => type)).toEqual(['cart.updated', 'message.sent', 'flow.entered', 'message.delivered']);
  });

  it('several people side by side: who has withdrawn consent gets nothing, and what is clicked counts', async () => {
    expect(
      await steps({
        people: [
          { events: [added], madeUp: { consent: { email: 'withdrawn' } } },
          { events: [added], clicks: [{ step: 'big-cart', after: 'PT1H' }] },
        ],
      }),
    ).toEqual([[], ['big-cart', 'reminder']]);
  });

  it('of somebody on file the history counts, and the runs that they have had; nothing of it is stored', async () => {
    await lab.tell(cart('robin@example.com', 140, { cartId: 'c1' }));
    await lab.pass('P3D');
    const [person] = await query<{ id: string }>(lab.db, `select id from people where email = 'robin@example.com'`);
    const before = await query(
      lab.db,
      'select count(*)::int as events, (select count(*)::int from runs) as runs, (select count(*)::int from sends) as sends from events',
    );
    // this very cart has been through the flow
    const again = await rehearse(lab.db, 'cart-left-behind', { person: `~${person!.id}`, events: [added] });
    expect(again.people[0]!.runs.map(({ trace }) => trace.at(-1)?.says)).toEqual([]);
    const other = { ...added, data: { ...added.data, cartId: 'c2' } };
    expect(await steps({ person: `~${person!.id}`, events: [other] })).toEqual([['big-cart', 'reminder']]);
    expect(
      await query(
        lab.db,
        'select count(*)::int as events, (select count(*)::int from runs) as runs, (select count(*)::int from sends) as sends from events',
      ),
    ).toEqual(before);
    // the history that a rule asks for
    const entry = { test: 'did', event: 'cart.updated', times: { exactly: 2 }, since: 'ever' };
    expect(await steps({ person: `~${person!.id}`, events: [other], document: { ...cartLeftBehind, entry } })).toEqual([
      ['big-cart', 'reminder'],
    ]);
    expect(await steps({ events: [other], document: { ...cartLeftBehind, entry } })).toEqual([[]]);
  });

  it('shows each message with what was on file as it went out, not in the end', async () => {
    const set = (id: string, value: string): Step => ({ id, kind: 'update', name: id, changes: [{ do: 'set', name: 'word', value }] });
    const said = letter('said');
    const message = { ...said.message, subject: 'The word is {{ person.word }}' };
    const document = flowWith({
      triggers: [{ id: 's', kind: 'event', event: 'cart.updated', key: 'cartId' }],
      steps: [set('first', 'one'), { ...said, message }, { id: 'w', kind: 'wait', for: 'P1D' }, set('then', 'two')],
    });
    const [one] = (await rehearse(lab.db, 'cart-left-behind', { document, events: [added] })).people;
    expect(one!.sends.map(({ subject }) => subject)).toEqual(['The word is one']);
    expect(one!.known.attributes.word).toBe('two');
  });

  it('tells what would have been asked of systems and colleagues, and asks nobody', async () => {
    const document = flowSchema.parse({
      schema: 'viatic.flow/1',
      name: 'Asks',
      triggers: [{ id: 's', kind: 'event', event: 'cart.updated', key: 'cartId' }],
      entry: null,
      stay: null,
      reentry: 'once-per-key',
      goal: null,
      steps: [
        { id: 'note', kind: 'note', name: 'A big cart', to: { email: 'marla@shop.example' }, text: 'Look' },
        { id: 'hook', kind: 'call', name: 'Points', url: 'https://shop.example/points', body: '{}', within: 'PT1H' },
      ],
    });
    const [one] = (await rehearse(lab.db, 'cart-left-behind', { document, events: [added] })).people;
    expect(one!.calls.map(({ kind, step, name }) => [kind, step, name])).toEqual([
      ['note', 'note', 'A big cart'],
      ['call', 'hook', 'Points'],
    ]);
    expect(await query(lab.db, 'select 1 from asks')).toEqual([]);
  });

  it('refuses what is no rehearsal, with the place, and comes to an end whatever the flow does', async () => {
    await expect(rehearse(lab.db, 'nowhere', { events: [] })).rejects.toMatchObject({ status: 404 });
    for (const [body, field] of [
      [{ events: [{ type: 'a.b', data: {} }] }, 'events'],
      [{ events: [added], person: '~1', madeUp: {} }, 'madeUp'],
      [{ events: [{ ...added, after: undefined, at: '2020-01-01T00:00:00Z' }] }, 'events'],
      [{ events: [added], document: { schema: 'viatic.flow/1' } }, 'name'],
    ] as const)
      await expect(rehearse(lab.db, 'cart-left-behind', body), field).rejects.toMatchObject({ status: 422 });
    const round = flowSchema.parse({
      schema: 'viatic.flow/1',
      name: 'Round',
      triggers: [{ id: 's', kind: 'event', event: 'message.sent', key: null }],
      entry: null,
      stay: null,
      reentry: 'always',
      goal: null,
      steps: [letter('again')],
    });
    const [one] = (await rehearse(lab.db, 'cart-left-behind', { document: round, events: [happened()] })).people;
    expect(one!.isCut).toBe(true);
  });
});

const happened = () => {
  const { type, data } = happening('message.sent', {}) as { type: string; data: object };
  return { after: 'PT1M', type, data };
};
