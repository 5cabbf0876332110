import fc from 'fast-check';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { flowSchema } from '@/core/flows';
import type { Rule } from '@/core/rules';
import { query } from '@/data/db';
import { createList } from '@/data/people';
import { ruleToSql } from '@/data/rules';
import { moveClockTo, readStore } from '@/data/store';
import { drain } from '../flows';
import {
  changeConsent,
  dropSegment,
  editPerson,
  eraseById,
  listFromSegment,
  listPeopleOn,
  mergePeople,
  personTimeline,
  personView,
  putSegment,
  readySegments,
  restoreSegment,
  segmentHistory,
  segmentMembers,
  segmentMoves,
  segmentOverlaps,
  segments,
  segmentView,
  tagPerson,
  undoMerge,
} from '../people';
import { happening, openLab, type Lab } from '../testing/lab';
import { lookAtPeople } from './look';

const RUNS = Number(process.env.VIATIC_RUNS ?? 25);
let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(() => lab.empty('segments', 'segment_signals', 'works', 'lists', 'flows', 'erased_counts', 'erased_addresses'));

const url = (query_ = '') => new URL(`http://localhost/api?${query_}`);
const ordered = (more: object = {}): Rule => ({ test: 'did', event: 'order.placed', since: 'ever', ...more }) as Rule;
const document = (rule: Rule, more: object = {}) => ({ schema: 'viatic.segment/1', name: 'Some', rule, ...more });
/** Stores a segment and builds it. */
async function keep(key: string, rule: Rule, more: object = {}): Promise<void> {
  await putSegment(lab.db, key, document(rule, { name: key, ...more }), 'Marla');
  await lab.settle();
  await drain(lab.db);
}
const tell = (who: string, type: string, data: object = {}, more: object = {}) =>
  lab.tell(happening(type, { ...data, person: { email: `${who}@example.com`, ...(data as { person?: object }).person } }, more));
const order = (who: string, value = 50, more: object = {}) =>
  tell(who, 'order.placed', { orderId: `o-${Math.random()}`, currency: 'EUR', value, ...more }, more);
const inside = async (key: string) =>
  (await segmentMembers(lab.db, key, url('limit=1000'))).people.map((one) => one.email?.replace('@example.com', '') ?? one.id).sort();
/** The id by which somebody is found, as the API takes it; null when nobody has this address. */
const idOf = async (email: string): Promise<string | null> => {
  const [row] = await query<{ id: string }>(lab.db, `select id from people where email = :email and erased_at is null`, { email });
  return row ? `~${row.id}` : null;
};
const moves = async (key: string) =>
  (await segmentMoves(lab.db, key)).moves.map(
    ({ act, email, because }) => `${email?.replace('@example.com', '') ?? 'nobody'} ${act}: ${because}`,
  );

describe('a segment', () => {
  it('has those who match when it is built, and from then on who joins and leaves by what they do and what is learned', async () => {
    await order('robin');
    await tell('kim', 'page.viewed');
    await keep('buyers', ordered());
    expect(await inside('buyers')).toEqual(['robin']);
    // who matched already has not joined
    expect(await moves('buyers')).toEqual([]);
    await order('kim');
    await drain(lab.db);
    expect(await inside('buyers')).toEqual(['kim', 'robin']);
    expect(await moves('buyers')).toEqual(['kim joined: placed an order']);

    await keep('dutch', { test: 'attribute', name: 'country', op: 'is', value: 'NL' });
    await editPerson(lab.db, (await idOf('kim@example.com'))!, { attributes: { country: 'NL' } }, 'Marla');
    await drain(lab.db);
    await editPerson(lab.db, (await idOf('kim@example.com'))!, { attributes: { country: 'BE' } }, 'Marla');
    await drain(lab.db);
    expect(await moves('dutch')).toEqual(['kim left: country changed', 'kim joined: country changed']);
    expect((await segmentMembers(lab.db, 'dutch', url())).total).toBe(0);
  });

  it('is left and joined by time alone, at the very moment and not at night', async () => {
    await order('robin');
    await keep('lately', ordered({ since: { last: 'PT2H' } }));
    await keep('quiet', { all: [ordered(), { none: [ordered({ since: { last: 'PT2H' } })] }] });
    expect(await inside('lately')).toEqual(['robin']);
    await lab.pass('PT1H59M');
    expect([await inside('lately'), await inside('quiet')]).toEqual([['robin'], []]);
    await lab.pass('PT2M');
    expect([await inside('lately'), await inside('quiet')]).toEqual([[], ['robin']]);
    expect(await moves('quiet')).toEqual(['robin joined: time went by']);
    await order('robin');
    await drain(lab.db);
    expect([await inside('lately'), await inside('quiet')]).toEqual([['robin'], []]);
  });

  it('is joined by events that flows listen to, and asked for by their rules; the person’s page tells of it', async () => {
    await keep('regulars', ordered({ times: 2 }));
    await lab.addFlow(
      'thanks',
      flowSchema.parse({
        schema: 'viatic.flow/1',
        name: 'Thanks',
        triggers: [
          { id: 'start', kind: 'event', event: 'segment.joined', key: null, where: [{ property: 'segment', op: 'is', value: 'regulars' }] },
        ],
        entry: { test: 'segment', segment: 'regulars', member: true },
        stay: { test: 'segment', segment: 'regulars', member: true },
        reentry: 'always',
        goal: null,
        steps: [{ id: 'w', kind: 'wait', for: 'P3D' }],
      }),
    );
    await order('robin');
    await order('robin', 50, { time: new Date(Date.now() - 1000).toISOString() });
    await drain(lab.db);
    const runs = () => query(lab.db, 'select phase, outcome from runs');
    expect(await runs()).toEqual([{ phase: 'inside', outcome: null }]);
    const says = (await personTimeline(lab.db, (await idOf('robin@example.com'))!, url())).items.map((item) => item.says);
    expect(says).toContain('segment.joined');
    expect((await personView(lab.db, (await idOf('robin@example.com'))!)).segments).toMatchObject([
      { key: 'regulars', because: 'placed an order' },
    ]);
    // a rule of the segment that they do not meet any more takes them out of the flow
    await keep('regulars', ordered({ times: 3 }));
    expect(await runs()).toEqual([{ phase: 'ended', outcome: 'left' }]);
    expect(await moves('regulars')).toEqual(['robin left: the rule was changed', 'robin joined: placed an order']);
  });

  it('keeps who was in it by the rule of before until the new one is built over everybody', async () => {
    await order('robin', 20);
    await order('kim', 200);
    await keep('buyers', ordered());
    const changed = await putSegment(
      lab.db,
      'buyers',
      document(ordered({ where: [{ property: 'value', op: 'above', value: 100 }] })),
      'Marla',
    );
    expect(changed).toMatchObject({ size: 2, isBuilding: true, keptBy: 'who has placed an order' });
    // somebody who orders meanwhile joins by the rule of before, and leaves with the new one
    await order('noor', 10);
    await drain(lab.db);
    expect(await inside('buyers')).toEqual(['kim', 'noor', 'robin']);
    await lab.settle();
    expect(await inside('buyers')).toEqual(['kim']);
    expect(await segmentView(lab.db, 'buyers')).toMatchObject({ size: 1, isBuilding: false, keptBy: null, workId: null });
    // a name is no rule: nothing is built
    await putSegment(
      lab.db,
      'buyers',
      document(ordered({ where: [{ property: 'value', op: 'above', value: 100 }] }), { name: 'Big' }),
      'Marla',
    );
    expect(await segmentView(lab.db, 'buyers')).toMatchObject({ name: 'Big', isBuilding: false });
  });

  it('may ask for others, which it follows; a circle, and what is not there, is refused with its place', async () => {
    await keep('buyers', ordered());
    await keep('dutch-buyers', {
      all: [
        { test: 'segment', segment: 'buyers', member: true },
        { test: 'attribute', name: 'country', op: 'is', value: 'NL' },
      ],
    });
    await order('robin', 20, { person: { country: 'NL' } });
    await drain(lab.db);
    expect(await inside('dutch-buyers')).toEqual(['robin']);
    const fields = async (key: string, rule: Rule) =>
      putSegment(lab.db, key, document(rule), 'Marla').then(
        () => [],
        (error: { status: number; errors: { field: string; wrong: string }[] }) => [
          error.status,
          ...error.errors.map(({ field, wrong }) => `${field} ${wrong}`),
        ],
      );
    expect(await fields('buyers', { any: [{ test: 'segment', segment: 'dutch-buyers', member: false }] })).toEqual([
      422,
      'rule.any.0.segment leads back to this segment: buyers → dutch-buyers → buyers',
    ]);
    expect(await fields('self', { test: 'segment', segment: 'self', member: true })).toEqual([
      422,
      'rule.segment leads back to this segment: self → self',
    ]);
    expect(
      await fields('x', {
        all: [
          { test: 'segment', segment: 'nosuch', member: true },
          { test: 'list', list: 'gone', member: true },
        ],
      }),
    ).toEqual([422, 'rule.all.0.segment is not a segment on file: nosuch', 'rule.all.1.list is not a list on file: gone']);
    expect(await fields('x', { none: [{ test: 'trigger', property: 'value', op: 'known' }] })).toEqual([
      422,
      'rule.none.0 is only known inside a flow',
    ]);
    const deep = (n: number): Rule => (n ? { all: [deep(n - 1)] } : ordered());
    expect((await fields('x', deep(50)))[0]).toBe(422);
    expect((await fields('x', { test: 'attribute', name: 'country', op: 'is', value: 'x'.repeat(10_000) })).length).toBeGreaterThan(0);
    // what another asks for cannot be archived
    await expect(dropSegment(lab.db, 'buyers', 'Marla')).rejects.toMatchObject({
      status: 409,
      detail: expect.stringContaining('dutch-buyers') as string,
    });
    await dropSegment(lab.db, 'dutch-buyers', 'Marla');
    await dropSegment(lab.db, 'buyers', 'Marla');
    expect((await segments(lab.db)).segments).toEqual([]);
    await restoreSegment(lab.db, 'buyers', 'Marla');
    await lab.settle();
    expect(await inside('buyers')).toEqual(['robin']);
  });

  it('tells its size by day, who of it can be reached, what its people are worth, what they have in common, and makes a list', async () => {
    await order('robin', 100, { person: { consent: { email: true } } });
    await keep('buyers', ordered());
    await keep('can-be-emailed', { test: 'consent', channel: 'email', reachable: true });
    await lab.pass('P1D');
    await order('kim', 60);
    await drain(lab.db);
    await eraseById(lab.db, (await idOf('robin@example.com'))!, 'Marla');
    await lab.pass('P1D');
    const { days } = await segmentHistory(lab.db, 'buyers', url());
    expect(days.map(({ size, joined, left }) => [size, joined, left])).toEqual([
      [1, 0, 0],
      [1, 1, 1],
      [1, 0, 0],
    ]);
    expect(await moves('buyers')).toEqual(['nobody left: is not on file any more', 'kim joined: placed an order']);
    const view = await segmentView(lab.db, 'buyers');
    expect(view).toMatchObject({
      size: 1,
      says: 'has placed an order',
      reachable: { email: 0, sms: 0, push: 0 },
      worth: { people: { people: 1, buyers: 1, orders: 1, value: { currency: 'EUR', minor: 6000 } } },
    });
    await changeConsent(lab.db, (await idOf('kim@example.com'))!.slice(1), {
      channels: { email: 'given' },
      detail: { how: 'by phone' },
    });
    await drain(lab.db);
    expect((await segmentView(lab.db, 'buyers')).reachable.email).toBe(1);
    expect((await segmentOverlaps(lab.db, url())).pairs).toEqual([{ a: 'buyers', b: 'can-be-emailed', people: 1 }]);
    expect(await listFromSegment(lab.db, 'buyers', { name: 'Buyers of today' }, 'Marla')).toEqual({ key: 'buyers-of-today', people: 1 });
  });

  it('of ours are rules that every shop can use, the high value from its own orders', async () => {
    for (let n = 1; n <= 20; n++) await order(`p${n}`, n * 10);
    const { ready } = await readySegments(lab.db);
    expect(new Set(ready.map(({ key }) => key)).size).toBe(ready.length);
    for (const { key, name, about, rule } of ready) await keep(key, rule, { name, about });
    expect(await inside('high-value')).toEqual(['p18', 'p19', 'p20']);
    expect(await inside('one-order')).toHaveLength(20);
    expect((await readySegments(lab.db)).ready.every(({ isThere }) => isThere)).toBe(true);
  });

  it('whose building has failed or was cancelled is built when it is stored again, also as it is', async () => {
    await order('robin');
    const rule = ordered();
    await putSegment(lab.db, 'buyers', document(rule), 'Marla');
    await query(lab.db, `update works set state = 'failed'`);
    await query(lab.db, 'select graphile_worker.complete_jobs(array(select id from graphile_worker.jobs))');
    await lab.settle();
    expect(await segmentView(lab.db, 'buyers')).toMatchObject({ size: null, isBuilding: true });
    await putSegment(lab.db, 'buyers', document(rule), 'Marla');
    // stored once more while it waits, it is not begun twice
    await putSegment(lab.db, 'buyers', document(rule), 'Marla');
    expect(await query(lab.db, `select state from works order by id`)).toEqual([{ state: 'failed' }, { state: 'waiting' }]);
    await lab.settle();
    expect(await inside('buyers')).toEqual(['robin']);
  });

  it('is built only when all that was being stored as its rule came has ended: what that changed is in it', async () => {
    await tell('robin', 'page.viewed');
    const id = (await idOf('robin@example.com'))!.slice(1);
    const other = await lab.db.transaction();
    await query(other, `insert into person_tags (person_id, tag, at, by) values (:id, 'vip', now(), 't')`, { id });
    await putSegment(lab.db, 'vips', document({ test: 'tag', tag: 'vip', has: true }), 'Marla');
    const settled = lab.settle();
    await new Promise((done) => setTimeout(done, 700));
    expect(await segmentView(lab.db, 'vips')).toMatchObject({ size: null, isBuilding: true });
    await other.commit();
    await settled;
    expect(await inside('vips')).toEqual(['robin']);
  });

  it('somebody whose look cannot be stored is set aside for a while, and stops nobody else', async () => {
    await keep('vips', { test: 'tag', tag: 'vip', has: true });
    for (const who of ['robin', 'kim', 'noor']) await tell(who, 'page.viewed');
    await drain(lab.db);
    const kim = (await idOf('kim@example.com'))!;
    await query(lab.db, `alter table segment_log add constraint broken check (person_id <> ${kim.slice(1)})`);
    for (const who of ['robin', 'kim', 'noor']) await tagPerson(lab.db, (await idOf(`${who}@example.com`))!, 'vip', true, 'Marla');
    await drain(lab.db);
    expect(await inside('vips')).toEqual(['noor', 'robin']);
    await query(lab.db, 'alter table segment_log drop constraint broken');
    await drain(lab.db);
    expect(await inside('vips')).toEqual(['noor', 'robin']);
    await lab.pass('PT5M');
    expect(await inside('vips')).toEqual(['kim', 'noor', 'robin']);
  });

  it('after an import of very many, everybody is looked at set by set, and what becomes known meanwhile is not lost', async () => {
    await keep('dutch', { test: 'attribute', name: 'country', op: 'is', value: 'NL' });
    await keep('quiet', { test: 'didNot', event: 'order.placed', since: { last: 'PT1H' } });
    await query(
      lab.db,
      `insert into people (attributes, created_at, seen_at) select jsonb_build_object('country', case when n % 3 = 0 then 'NL' else 'BE' end), now(), now()
       from generate_series(1, 20500) n`,
    );
    await order('robin');
    const looks = async () =>
      (
        await query<{ n: number }>(lab.db, 'select count(*)::int as n from segment_looks where due_at <= :now', {
          now: new Date(await lab.now()),
        })
      )[0]!.n;
    expect(await looks()).toBe(20_501);
    expect(await lookAtPeople(lab.db)).toBeGreaterThanOrEqual(20_000);
    expect(await looks()).toBe(0);
    expect((await segmentMembers(lab.db, 'dutch', url('limit=0'))).total).toBe(6833);
    expect((await segmentMembers(lab.db, 'quiet', url('limit=0'))).total).toBe(20_500);
    await lab.pass('PT1H');
    expect((await segmentMembers(lab.db, 'quiet', url('limit=0'))).total).toBe(20_501);
  });
});

describe('law: what is kept is what a look at everybody would give', () => {
  const MINUTE = 60_000;
  const since = fc.constantFrom<unknown>('ever', { last: 'PT90M' }, { last: 'P1D' }, { ago: 'PT3H' }, { last: 'P1M' }, { ago: 'P2D' });
  const times = fc.constantFrom<unknown>(1, 2, { exactly: 1 }, { atMost: 1 });
  const test = fc.oneof(
    fc.record({ test: fc.constantFrom('did', 'didNot'), event: fc.constantFrom('a.a', 'b.b'), times, since }),
    fc.record({
      test: fc.constant('did'),
      event: fc.constant('a.a'),
      since,
      where: fc.constant([{ property: 'n', op: 'above', value: 5 }]),
    }),
    fc.constant({ test: 'total', event: 'a.a', of: 'n', take: 'sum', op: 'atLeast', value: 8, since: { last: 'PT3H' } }),
    fc.constantFrom(
      { test: 'attribute', name: 'country', op: 'is', value: 'NL' },
      { test: 'consent', channel: 'email', reachable: true },
      { test: 'said', channel: 'email', state: 'given', is: true, how: { op: 'contains', value: 'phone' }, since: { last: 'PT5H' } },
      { test: 'tag', tag: 'vip', has: true },
      { test: 'list', list: 'keepers', member: true },
      { test: 'segment', segment: 's0', member: false },
      { test: 'date', name: 'born', yearly: false, from: -1, to: 2 },
      { test: 'date', name: 'born', yearly: true, from: 0, to: 2 },
      { test: 'date', name: 'born', yearly: false, to: -2 },
      { test: 'age', name: 'born', op: 'atLeast', value: 30 },
      { test: 'changed', name: 'country', way: 'any', to: 'BE', since: { last: 'PT3H' } },
      { test: 'changed', name: 'country', way: 'any', since: { ago: 'P1D' } },
      { test: 'list', list: 'keepers', member: true, since: { ago: 'PT3H' } },
      { test: 'list', list: 'keepers', member: false, since: { last: 'P1D' } },
      { test: 'tag', tag: 'vip', has: true, since: { last: 'P1D' } },
      { test: 'segment', segment: 's0', member: true, since: { ago: 'PT3H' } },
      { test: 'country', name: 'country', group: 'EU', member: true },
      { test: 'reach', channel: 'email', state: 'withdrawn', is: true },
      { test: 'orders', take: 'number', op: 'atLeast', value: 1, since: { last: 'PT3H' } },
      { test: 'orders', take: 'last', op: 'above', value: 4, since: 'ever' },
      { test: 'did', event: 'a.a', pick: { first: 1 }, since: { last: 'P1D' } },
      { test: 'did', event: 'a.a', pick: { last: 1 }, since: { ago: 'PT3H' } },
      { test: 'did', event: 'a.a', pick: { last: 2 }, meets: [{ property: 'n', op: 'above', value: 4 }], since: 'ever' },
      { test: 'did', event: 'a.a', then: { event: 'b.b', did: true, within: 'PT3H' }, since: 'ever' },
      { test: 'did', event: 'a.a', then: { event: 'b.b', by: 'n', did: false, within: 'PT3H' }, since: { last: 'P1D' } },
      { test: 'didNot', event: 'a.a', since: { after: { event: 'b.b' } } },
    ),
  );
  const rule = fc.oneof(
    test as fc.Arbitrary<unknown>,
    fc.array(test, { minLength: 1, maxLength: 3 }).chain((parts) => fc.constantFrom({ all: parts }, { any: parts }, { none: parts })),
  ) as fc.Arbitrary<Rule>;
  const who = fc.integer({ min: 0, max: 4 });
  const act = fc.oneof(
    fc.record({
      does: fc.constant('event' as const),
      who,
      type: fc.constantFrom('a.a', 'a.a', 'b.b', 'b.b', 'order.placed', 'order.cancelled'),
      ago: fc.integer({ min: -200, max: 3 * 24 * 60 }),
      n: fc.integer({ min: 0, max: 9 }),
    }),
    fc.record({ does: fc.constant('born' as const), who, days: fc.integer({ min: -3, max: 5 }), years: fc.constantFrom(0, 30) }),
    fc.record({ does: fc.constant('country' as const), who, is: fc.constantFrom('NL', 'BE') }),
    fc.record({ does: fc.constant('consent' as const), who, is: fc.constantFrom('given' as const, 'withdrawn' as const) }),
    fc.record({ does: fc.constant('tag' as const), who, on: fc.boolean() }),
    fc.record({ does: fc.constant('list' as const), who, on: fc.boolean() }),
    fc.record({ does: fc.constant('merge' as const), who, other: who }),
    fc.record({ does: fc.constant('unmerge' as const) }),
    fc.record({ does: fc.constant('erase' as const), who }),
    fc.record({ does: fc.constant('pass' as const), minutes: fc.integer({ min: 7, max: 3000 }) }),
    fc.record({ does: fc.constant('rule' as const), rule }),
  );
  type Act = typeof act extends fc.Arbitrary<infer One> ? One : never;
  const orderOf = (n: number) => ({ orderId: `o${n % 3}`, value: n, currency: 'EUR' });
  const emails = Array.from({ length: 5 }, (_, n) => `p${n}@example.com`);

  async function doIt(one: Act): Promise<void> {
    const email = 'who' in one ? emails[one.who]! : '';
    const known = email ? await idOf(email) : null;
    switch (one.does) {
      case 'event': {
        const { now } = await readStore(lab.db);
        // what is stamped ahead is taken up to a day
        await lab.tell(
          happening(
            one.type,
            { n: one.n, ...(one.type.startsWith('order') && orderOf(one.n)), person: { email } },
            { time: new Date(now - one.ago * MINUTE - 31_007).toISOString() },
          ),
        );
        return;
      }
      case 'born': {
        const day = new Date((await readStore(lab.db)).now + one.days * 24 * 60 * MINUTE);
        day.setUTCFullYear(day.getUTCFullYear() - one.years);
        const born = day.toISOString().slice(0, 10);
        return void (known && (await editPerson(lab.db, known, { attributes: { born } }, 't')));
      }
      case 'country':
        return void (known && (await editPerson(lab.db, known, { attributes: { country: one.is } }, 't')));
      case 'consent':
        return void (known && (await changeConsent(lab.db, known.slice(1), { channels: { email: one.is }, detail: { how: 'by phone' } })));
      case 'tag':
        return void (known && (await tagPerson(lab.db, known, 'vip', one.on, 't')));
      case 'list':
        return void (known && (await listPeopleOn(lab.db, 'keepers', [known.slice(1)], one.on, 't')));
      case 'merge': {
        const other = await idOf(emails[one.other]!);
        return void (known && other && known !== other && (await mergePeople(lab.db, known, other, 't')));
      }
      case 'unmerge': {
        const [merge] = await query<{ id: string }>(lab.db, 'select id from merges where undone_at is null order by id desc limit 1');
        return void (merge && (await undoMerge(lab.db, merge.id, 't').catch(() => {})));
      }
      case 'erase':
        return void (known && (await eraseById(lab.db, known, 't')));
      case 'pass': {
        const { now } = await readStore(lab.db);
        await moveClockTo(lab.db, now + one.minutes * MINUTE + 13);
        return;
      }
      case 'rule':
        await putSegment(lab.db, 's1', document(one.rule), 't');
    }
  }

  it(
    'for any rules, over any history, told late too, with merges, erasing, changes of rules and the clock going on',
    async () => {
      await fc.assert(
        fc.asyncProperty(
          fc.array(rule, { minLength: 2, maxLength: 3 }),
          fc.array(act, { minLength: 3, maxLength: 14 }),
          fc.nat({ max: 5 }),
          async (rules, acts, before) => {
            await lab.empty('segments', 'segment_signals', 'works', 'lists', 'erased_counts', 'erased_addresses');
            await createList(
              lab.db,
              { key: 'keepers', name: 'Keepers', about: '', doubleOptIn: false, by: 't' },
              (await readStore(lab.db)).now,
            );
            const early = acts.slice(0, before);
            for (const one of early) if (one.does !== 'rule') await doIt(one);
            await putSegment(lab.db, 's0', document({ test: 'attribute', name: 'country', op: 'is', value: 'NL' }), 't');
            for (const [n, one] of rules.entries()) await putSegment(lab.db, `s${n + 1}`, document(one), 't');
            await lab.settle();
            for (const one of acts.slice(before)) {
              await doIt(one);
              if (one.does === 'rule') await lab.settle();
              await drain(lab.db);
              const { now, zone } = await readStore(lab.db);
              for (const { key, rule: kept, id } of await query<{ id: number; key: string; rule: Rule }>(
                lab.db,
                'select id, key, rule from segments',
              )) {
                const { condition, bindings } = ruleToSql(kept, now, zone, { isWhole: true });
                const all = await query<{ id: string }>(
                  lab.db,
                  `select p.id from people p where p.erased_at is null and (${condition}) order by 1`,
                  bindings,
                );
                const members = await query<{ id: string }>(
                  lab.db,
                  'select person_id as id from segment_members where segment_id = :id order by 1',
                  { id },
                );
                expect(members, `${key} ${JSON.stringify(kept)} after ${JSON.stringify(one)}`).toEqual(all);
                // the sum of who joined and left is who is there
                const [sum] = await query<{ size: number }>(
                  lab.db,
                  `select s.first_size + (select coalesce(sum(case act when 'joined' then 1 else -1 end), 0)::int
                     from segment_log where segment_id = s.id) as size
                   from segments s where s.id = :id`,
                  { id },
                );
                expect(sum!.size).toBe(members.length);
              }
            }
          },
        ),
        { numRuns: RUNS },
      );
    },
    60_000 + RUNS * 20_000,
  );
});
