import fc from 'fast-check';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { flowWith, letter } from '@/core/flows/testing/asking';
import { inTransaction, query } from '@/data/db';
import { up as upgrade } from '@/data/db/migrations/042_order_owners';
import { countWaiting, ledgerDifferences, moveOrderEvents } from '@/data/revenue';
import { HAND_SOURCE } from '@/data/sources';
import { readStore } from '@/data/store';
import { eraseById, mergePeople } from '../people';
import { goOnRebuilding } from '../revenue';
import { settleAnew } from './settle';
import { happening, openLab, type Lab } from '../testing/lab';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(() => empty());
const empty = () => lab.empty('flows', 'flow_versions', 'waiting_order_events', 'person_successors', 'erased_addresses', 'erased_counts');

const at = (day: number) => `2026-11-${String(day).padStart(2, '0')}T10:00:00Z`;
type Named = { email: string } | null;
const orderEvent = (type: string, orderId: string, named: Named, day: number, data: object = {}, more: object = {}) =>
  happening(type, { orderId, ...data, ...(named && { person: named }) }, { time: at(day), ...more });
const placed = (orderId: string, email: string, day: number, value = 100, more: object = {}) =>
  orderEvent('order.placed', orderId, { email }, day, { currency: 'EUR', value }, more);
const refunded = (orderId: string, named: Named, day: number, value?: number, more: object = {}) =>
  orderEvent('order.refunded', orderId, named, day, value === undefined ? {} : { value }, more);

/** The ledger: whose each order is, and what is left of it. */
const ledger = () =>
  query<{ email: string; order_id: string; net: number; booked: number }>(
    lab.db,
    `select coalesce(p.email, 'erased') as email, o.order_id, o.net_minor::float8 as net,
       coalesce((select sum(minor) from bookings b where b.person_id = o.person_id and b.order_id = o.order_id), 0)::float8 as booked
     from orders o join people p on p.id = o.person_id order by o.order_id, 1`,
  );
const differences = async () => (await ledgerDifferences(lab.db, true)).differences;
const idOf = async (email: string) => (await query<{ id: string }>(lab.db, 'select id from people where email = :email', { email }))[0]!.id;

describe('an order of a source is one order', () => {
  it('sent again with a corrected address it counts once, for the person named by the latest', async () => {
    await lab.tell(placed('o1', 'guest@example.com', 1));
    await lab.tell(placed('o1', 'anna@example.com', 2));
    expect(await ledger()).toEqual([{ email: 'anna@example.com', order_id: 'o1', net: 10_000, booked: 10_000 }]);
    expect(await query(lab.db, 'select p.email, s.orders from standing s join people p on p.id = s.person_id')).toEqual([
      { email: 'anna@example.com', orders: 1 },
    ]);
    expect(await differences()).toEqual([]);
  });

  it('what two sources call by the same id are two orders', async () => {
    await lab.tell([placed('o1', 'anna@example.com', 1), placed('o1', 'bela@example.com', 2, 40, { source: 'other-shop' })]);
    expect((await ledger()).map(({ email, net }) => [email, net])).toEqual([
      ['anna@example.com', 10_000],
      ['bela@example.com', 4_000],
    ]);
    await lab.tell(refunded('o1', null, 3, 10, { source: 'other-shop' }));
    expect((await ledger()).map(({ net }) => net)).toEqual([10_000, 3_000]);
    expect(await differences()).toEqual([]);
  });

  it('the nightly check finds one that two people have', async () => {
    await lab.tell([placed('o1', 'anna@example.com', 1), placed('o1', 'anna@example.com', 2), placed('o2', 'bela@example.com', 2)]);
    const [anna, bela] = [await idOf('anna@example.com'), await idOf('bela@example.com')];
    // as a fault would leave it
    await query(lab.db, `update events set person_id = :bela where person_id = :anna and time = :time`, { anna, bela, time: at(1) });
    await query(
      lab.db,
      `insert into orders select :bela, order_id, cart_id, currency, value_minor, discount_minor, refunded_minor, is_cancelled, placed_at, codes,
         tax_minor, shipping_minor, 0 from orders where order_id = 'o1'`,
      { bela },
    );
    expect((await ledgerDifferences(lab.db, false)).differences.map(({ what }) => what)).toContain('more than one person has it');
    await moveOrderEvents(lab.db, { orderId: 'o1', source: 'test', from: bela, to: anna });
    await query(lab.db, `delete from orders where person_id = :bela and order_id = 'o1'`, { bela });
    expect(await differences()).toEqual([]);
  });
});

describe('a store in which orders were counted twice before', () => {
  it('has each once after the migration: with its latest owner, also where the other has nothing else left', async () => {
    // as the version before stored them: each event under the person it names
    await lab.tell([placed('o1', 'guest@example.com', 1), placed('o2', 'anna@example.com', 2), placed('o9', 'anna@example.com', 3)]);
    const [guest, anna] = [await idOf('guest@example.com'), await idOf('anna@example.com')];
    await query(
      lab.db,
      `update events set properties = properties || '{"orderId": "o1"}' where person_id = :anna and properties ->> 'orderId' = 'o2'`,
      { anna },
    );
    await query(lab.db, 'drop table waiting_order_events');
    await inTransaction(lab.db, async (trx) => settleAnew(trx, [guest, anna], await readStore(trx)));
    expect(await ledger()).toHaveLength(3);
    await upgrade(lab.db);
    await goOnRebuilding(lab.db);
    expect((await ledger()).map(({ email, order_id: id }) => [email, id])).toEqual([
      ['anna@example.com', 'o1'],
      ['anna@example.com', 'o9'],
    ]);
    expect(await query(lab.db, 'select person_id, orders from standing')).toEqual([{ person_id: anna, orders: 2 }]);
    expect(await differences()).toEqual([]);
  });
});

describe('a refund', () => {
  it('goes to the order, even if it names someone else', async () => {
    await lab.tell(placed('o1', 'anna@example.com', 1));
    await lab.tell(refunded('o1', { email: 'other@example.com' }, 2, 30));
    expect(await ledger()).toEqual([{ email: 'anna@example.com', order_id: 'o1', net: 7_000, booked: 7_000 }]);
  });

  it('that names nobody and arrives before its order waits for it, and counts once however often it is sent', async () => {
    const early = refunded('o1', null, 2, 30);
    expect(await lab.tell(early)).toEqual({ accepted: 1, duplicates: 0, rejected: [] });
    expect(await lab.tell(early)).toEqual({ accepted: 0, duplicates: 1, rejected: [] });
    expect(await countWaiting(lab.db, HAND_SOURCE)).toBe(1);
    expect(await lab.tell(placed('o1', 'anna@example.com', 1))).toEqual({ accepted: 1, duplicates: 0, rejected: [] });
    expect(await lab.tell(early)).toEqual({ accepted: 0, duplicates: 1, rejected: [] });
    expect(await ledger()).toEqual([{ email: 'anna@example.com', order_id: 'o1', net: 7_000, booked: 7_000 }]);
    expect(await query(lab.db, 'select 1 from waiting_order_events')).toEqual([]);
  });

  it('of an order whose person was erased is taken off what is kept, with the credits, and once', async () => {
    await lab.addFlow(
      'thanks',
      flowWith({ triggers: [{ id: 's', kind: 'event', event: 'app.opened', key: null }], reentry: 'once', steps: [letter('hello')] }),
    );
    await lab.tell(happening('app.opened', { person: { email: 'anna@example.com', consent: { email: true } } }));
    await lab.settle();
    const now = new Date(await lab.now()).toISOString();
    const [send] = await query<{ id: string }>(lab.db, 'select id from sends');
    await lab.tell(happening('message.clicked', { sendId: send!.id, person: { email: 'anna@example.com' } }));
    await lab.tell(
      happening('order.placed', { orderId: 'o1', value: 100, currency: 'EUR', person: { email: 'anna@example.com' } }, { time: now }),
    );
    await eraseById(lab.db, `~${await idOf('anna@example.com')}`, 'Marla');
    const back = happening('order.refunded', { orderId: 'o1', value: 30 });
    expect(await lab.tell(back)).toEqual({ accepted: 1, duplicates: 0, rejected: [] });
    expect(await lab.tell(back)).toEqual({ accepted: 0, duplicates: 1, rejected: [] });
    expect(await ledger()).toMatchObject([{ email: 'erased', net: 7_000, booked: 7_000 }]);
    expect(await differences()).toEqual([]);
    await lab.tell(happening('order.cancelled', { orderId: 'o1' }));
    expect(await ledger()).toMatchObject([{ email: 'erased', net: 0, booked: 0 }]);
    expect(await differences()).toEqual([]);
  });
});

describe('law: orders and refunds, shuffled, repeated and sent again with another address', () => {
  const people = ['anna@example.com', 'bela@example.com', 'cleo@example.com'] as const;
  const person: fc.Arbitrary<string> = fc.constantFrom(...people);
  const event: fc.Arbitrary<['placed', number, string, number] | ['refunded', number, string | null, number]> = fc.oneof(
    {
      weight: 3,
      arbitrary: fc.tuple(fc.constant('placed' as const), fc.integer({ min: 1, max: 2 }), person, fc.integer({ min: 1, max: 20 })),
    },
    {
      weight: 2,
      arbitrary: fc.tuple(
        fc.constant('refunded' as const),
        fc.integer({ min: 1, max: 2 }),
        fc.option(person, { nil: null }),
        fc.integer({ min: 1, max: 20 }),
      ),
    },
  );
  it('end in one ledger', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(event, { minLength: 2, maxLength: 7 }).chain((events) => {
          const sent = events.map(([what, order, who, day], index) =>
            what === 'placed'
              ? placed(`o${order}`, who, day, 50 + day, { id: `law-${index}` })
              : refunded(`o${order}`, who === null ? null : { email: who }, day, index + 1, { id: `law-${index}`, source: 'till' }),
          );
          return fc.tuple(
            fc.constant(sent),
            fc.shuffledSubarray([...sent, ...sent.slice(0, 2)], { minLength: sent.length + Math.min(sent.length, 2) }),
            fc.integer({ min: 1, max: 3 }),
            fc.option(fc.tuple(person, person)),
          );
        }),
        async ([events, shuffled, size, merged]) => {
          // what names nobody and waits for an order that never comes is of nobody in the end
          const end = async () => {
            if (merged && merged[0] !== merged[1]) {
              const ids = await query<{ id: string }>(
                lab.db,
                'select id from people where email = any(cast(:emails as text[])) order by email',
                {
                  emails: [...merged],
                },
              );
              if (ids.length === 2) await mergePeople(lab.db, `~${ids[0]!.id}`, `~${ids[1]!.id}`, 'Marla');
            }
            return (await ledger())
              .filter(({ net }) => net > 0)
              .map(({ email, ...rest }) => (merged?.includes(email as never) ? rest : { email, ...rest }));
          };
          await empty();
          await lab.tell(events);
          expect(await differences()).toEqual([]);
          const expected = await end();
          await empty();
          for (let i = 0; i < shuffled.length; i += size) expect((await lab.tell(shuffled.slice(i, i + size))).rejected).toEqual([]);
          expect(await differences()).toEqual([]);
          expect(await end()).toEqual(expected);
          expect(await query(lab.db, 'select 1 from orders where placed_at is not null group by order_id having count(*) > 1')).toEqual([]);
          expect(await differences()).toEqual([]);
        },
      ),
      { numRuns: Number(process.env.VIATIC_LAW_RUNS ?? 30), seed: 27 },
    );
  });
});
