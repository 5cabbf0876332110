import fc from 'fast-check';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { CHANNELS, evaluate, ruleSchema, type Rule } from '@/core/rules';
import { DAY } from '@/core/time';
import { openLab, type Lab } from '@/server/testing/lab';
import { query } from '../db';
import { countPeople, listPeople } from '../people';
import { loadAllFacts } from './facts';
import { NotForLists, ruleToSql } from './rules';

const NOW = Date.parse('2026-11-24T12:00:00Z');
/** `VIATIC_RUNS` for longer ones */
const RUNS = Number(process.env.VIATIC_RUNS ?? 60);
const ZONE = 'Europe/Amsterdam';
const KEPT_AS = { email: 'email', sms: 'phone', push: 'pushToken' } as const;
let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());

const value = fc.oneof(
  fc.constantFrom('NL', 'nl', '', "O'Hara \\ %_:x?", '10'),
  fc.integer({ min: -2, max: 12 }),
  fc.constantFrom(0.1, 1e21, 10.0),
  fc.boolean(),
);
const name = fc.constantFrom('country', 'points', 'plan.name', 'plan');
const comparison = fc.oneof(
  fc.record({ op: fc.constantFrom('is', 'isNot'), value }),
  fc.record({
    op: fc.constantFrom('atLeast', 'above', 'atMost', 'below'),
    value: fc.oneof(fc.integer({ min: -2, max: 12 }), fc.constant(0.1)),
  }),
  fc.record({ op: fc.constantFrom('contains', 'startsWith'), value: fc.constantFrom('N', '', '%', "'", '\\') }),
  fc.record({ op: fc.constantFrom('oneOf', 'noneOf'), value: fc.array(value, { maxLength: 3 }) }),
  fc.record({ op: fc.constant('between'), value: fc.constantFrom([0, 10], [0.1, 0.1], [-2, 1e21]) }),
  fc.record({ op: fc.constantFrom('known', 'unknown') }),
);
const since = fc.constantFrom<unknown>(
  'ever',
  ...['P1D', 'P30D', 'PT36H', 'P1M'].flatMap((span) => [{ last: span }, { ago: span }]),
  { from: '2026-11-20' },
  { to: '2026-11-23' },
  { from: '2026-11-24', to: '2026-11-24' },
);
const hours = fc.option(
  fc.constantFrom({ weekdays: [2, 6, 7] }, { from: '12:30', to: '20:00' }, { weekdays: [1, 2], from: '22:15', to: '13:00' }),
  { nil: undefined, freq: 3 },
);
const total = fc.record({
  test: fc.constant('total'),
  event: fc.constantFrom('a.a', 'b.b'),
  of: fc.constantFrom('points', 'country', 'plan.name', 'items'),
  take: fc.constantFrom('sum', 'average', 'largest', 'smallest', 'different'),
  since,
  hours,
});
const leaf = fc.oneof(
  fc
    .tuple(
      total,
      fc.oneof(
        fc.record({
          op: fc.constantFrom('is', 'atLeast', 'above', 'atMost', 'below'),
          value: fc.constantFrom(0, 1, 2, 0.1, 0.2, 0.3, 5, 10),
        }),
        fc.constantFrom({ op: 'between', value: [0, 1] }, { op: 'between', value: [0.3, 10] }),
      ),
    )
    .map(([one, compared]) => ({ ...one, ...compared })),
  fc.tuple(name, comparison).map(([n, c]) => ({ test: 'attribute', name: n, ...c })),
  fc.record({ test: fc.constant('consent'), channel: fc.constantFrom('email', 'sms', 'push'), reachable: fc.boolean() }),
  fc
    .record({
      test: fc.constant('date'),
      name: fc.constantFrom('born', 'plan.name'),
      yearly: fc.boolean(),
      span: fc.tuple(fc.integer({ min: -40, max: 40 }), fc.integer({ min: 0, max: 40 })),
      open: fc.constantFrom('', 'from', 'to'),
    })
    .map(({ span: [from, length], open, ...one }) => ({
      ...one,
      ...((one.yearly || open !== 'from') && { from }),
      ...((one.yearly || open !== 'to') && { to: from + length }),
    })),
  fc.record({ test: fc.constant('list'), list: fc.constantFrom('keepers', 'plants', 'nowhere'), member: fc.boolean() }),
  fc.record({ test: fc.constant('tag'), tag: fc.constantFrom('vip', "o'tag", 'never'), has: fc.boolean() }),
  fc.record({
    test: fc.constantFrom('did', 'didNot'),
    event: fc.constantFrom('a.a', 'b.b'),
    times: fc.oneof(
      fc.integer({ min: 1, max: 3 }),
      fc.record({ exactly: fc.integer({ min: 0, max: 2 }) }),
      fc.record({ atMost: fc.integer({ min: 0, max: 2 }) }),
      fc.constant({ from: 1, to: 2 }),
    ),
    since,
    hours,
    where: fc.array(
      fc.oneof(
        { weight: 3, arbitrary: fc.tuple(name, comparison).map(([property, c]) => ({ property, ...c })) },
        fc.record({
          property: fc.constantFrom('items', 'points'),
          any: fc.array(
            fc.tuple(fc.constantFrom('sku', 'price'), comparison).map(([property, c]) => ({ property, ...c })),
            { minLength: 1, maxLength: 2 },
          ),
        }),
        fc.constantFrom({ property: 'items', op: 'contains', value: 'NL' }, { property: 'items', op: 'contains', value: '' }),
      ),
      { maxLength: 2 },
    ),
  }),
);
const { rule } = fc.letrec<{ rule: unknown }>((tie) => ({
  rule: fc.oneof(
    { depthSize: 'small' },
    leaf as fc.Arbitrary<unknown>,
    fc.record({ all: fc.array(tie('rule'), { maxLength: 3 }) }),
    fc.record({ any: fc.array(tie('rule'), { maxLength: 3 }) }),
    fc.record({ none: fc.array(tie('rule'), { maxLength: 3 }) }),
  ),
}));
const bag = fc
  .dictionary(fc.constantFrom('country', 'points', 'plan.name'), fc.oneof(value, fc.constant(null)), { maxKeys: 3 })
  .chain((flat) => fc.option(fc.record({ name: value }), { nil: undefined }).map((plan) => ({ ...flat, ...(plan && { plan }) })));
const items = fc.array(
  fc.oneof(
    fc.dictionary(fc.constantFrom('sku', 'price'), fc.oneof(value, fc.constant(null)), { maxKeys: 2 }),
    value,
    fc.constant(null),
    fc.constant([1]),
  ),
  { maxLength: 3 },
);
const born = fc.constantFrom(
  ...['2026-11-24', '2026-11-23', '2026-12-10', '1990-11-30', '1996-02-29', '2025-12-31', '2027-01-01', '0001-01-01'],
  // no days
  ...['2026-02-30', '0000-01-01', '2026-13-01', '2026-1-1', '24.11.2026', '2026-11-24T10:00:00Z', '', 20261124, true, null],
);
const person = fc.record({
  attributes: fc.tuple(bag, fc.option(born, { nil: undefined })).map(([own, day]) => ({ ...own, ...(day !== undefined && { born: day }) })),
  // by channel, what stands between us and them: 0 no address, 1 an empty one, 2 one that is suppressed, 3 one that is not
  address: fc.array(fc.constantFrom(0, 1, 2, 3, 3), { minLength: 3, maxLength: 3 }),
  consent: fc.array(fc.constantFrom('given', 'given', 'withdrawn', null), { minLength: 3, maxLength: 3 }),
  pausedFor: fc.constantFrom(null, null, -DAY, 0, 1, DAY),
  lists: fc.subarray(['keepers', 'plants']),
  tags: fc.subarray(['vip', "o'tag"]),
  events: fc.array(
    fc.record({
      type: fc.constantFrom('a.a', 'b.b'),
      ago: fc.oneof(fc.integer({ min: -DAY, max: 40 * DAY }), fc.constantFrom(0, DAY, 30 * DAY, 31 * DAY)),
      properties: fc
        .tuple(bag, fc.option(fc.oneof(items, value), { nil: undefined }))
        .map(([own, list]) => ({ ...own, ...(list !== undefined && { items: list }) })),
    }),
    { maxLength: 5 },
  ),
});

it(
  'the rule in memory and the rule as SQL pick the same people, for any people, events and rules',
  async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(person, { minLength: 4, maxLength: 8 }),
        fc.array(rule, { minLength: 6, maxLength: 6 }),
        async (people, rules) => {
          await lab.empty('lists');
          const rows = people.map((one, index) => ({ ...one, id: index + 1 }));
          const channels = (one: (typeof rows)[number]) =>
            CHANNELS.map((channel, c) => ({
              id: one.id,
              channel,
              state: one.consent[c]!,
              how: one.address[c]!,
              address: `${channel}-${one.id}`,
            }));
          const insert = (statement: string, list: readonly object[]) => query(lab.db, statement, { rows: JSON.stringify(list) });
          await insert(
            `insert into people (id, attributes, paused_until, created_at, seen_at) select id, attributes, paused, now(), now()
            from json_to_recordset(cast(:rows as json)) as r(id bigint, attributes jsonb, paused timestamptz)`,
            rows.map((one) => ({
              id: one.id,
              paused: one.pausedFor === null ? null : new Date(NOW + one.pausedFor),
              attributes: {
                ...one.attributes,
                ...Object.fromEntries(
                  channels(one)
                    .filter(({ how }) => how > 0)
                    .map(({ channel, how, address }) => [KEPT_AS[channel], how === 1 ? '' : address]),
                ),
              },
            })),
          );
          await insert(
            `insert into consents (person_id, channel, state, at) select id, channel, state, now()
            from json_to_recordset(cast(:rows as json)) as r(id bigint, channel text, state text) where state is not null`,
            rows.flatMap(channels),
          );
          await insert(
            `insert into suppressions (channel, address, reason, at) select channel, address, 'bounced', now()
            from json_to_recordset(cast(:rows as json)) as r(channel text, address text)`,
            rows.flatMap(channels).filter(({ how }) => how === 2),
          );
          await query(
            lab.db,
            `insert into lists (key, name, created_at, created_by) values ('keepers', 'Keepers', now(), 't'), ('plants', 'Plants', now(), 't')`,
          );
          await insert(
            `insert into list_members (list_id, person_id, at, how) select l.id, r.id, now(), 't'
            from json_to_recordset(cast(:rows as json)) as r(id bigint, list text) join lists l on l.key = r.list`,
            rows.flatMap((one) => one.lists.map((list) => ({ id: one.id, list }))),
          );
          await insert(
            `insert into person_tags (person_id, tag, at, by) select id, tag, now(), 't' from json_to_recordset(cast(:rows as json)) as r(id bigint, tag text)`,
            rows.flatMap((one) => one.tags.map((tag) => ({ id: one.id, tag }))),
          );
          await query(
            lab.db,
            `insert into events (person_id, type, time, source, event_id, properties, received_at)
            select person_id, type, time, 't', 'e', properties, now() from json_to_recordset(cast(:rows as json)) as r(person_id bigint, type text,
              time timestamptz, properties jsonb)`,
            {
              rows: JSON.stringify(
                rows.flatMap((one) =>
                  one.events.map((e) => ({ person_id: one.id, type: e.type, time: new Date(NOW - e.ago), properties: e.properties })),
                ),
              ),
            },
          );
          const facts = new Map(
            (await Promise.all(rows.map((one) => loadAllFacts(lab.db, String(one.id), ['a.a', 'b.b'])))).map((known) => [
              known!.personId,
              known!,
            ]),
          );
          for (const input of rules) {
            const parsed = ruleSchema.safeParse(input);
            if (!parsed.success) continue;
            const pick = async (isWhole: boolean) => {
              const { condition, bindings } = ruleToSql(parsed.data, NOW, ZONE, { isWhole });
              const rows = await query<{ id: string }>(lab.db, `select p.id from people p where ${condition} order by p.id`, {
                ...bindings,
              });
              return rows.map((row) => row.id);
            };
            const [picked, gathered] = [await pick(false), await pick(true)];
            const held = [...facts.values()]
              .filter((known) => evaluate(parsed.data, known, { now: NOW, zone: ZONE }).holds)
              .map((known) => known.personId)
              .sort((a, b) => Number(a) - Number(b));
            expect(picked, JSON.stringify(parsed.data)).toEqual(held);
            expect(gathered, JSON.stringify(parsed.data)).toEqual(held);
          }
        },
      ),
      { numRuns: RUNS },
    );
  },
  60_000 + RUNS * 1_000,
);

it('a rule that only makes sense inside a flow is refused for lists', () => {
  const inside: Rule = { none: [{ test: 'did', event: 'order.placed', since: 'entry' }] };
  expect(() => ruleToSql(inside, NOW, ZONE)).toThrow(NotForLists);
  expect(() => ruleToSql({ test: 'trigger', property: 'value', op: 'known' }, NOW, ZONE)).toThrow(NotForLists);
});

it('the directory searches words as they are, wildcards included, and pages without gaps', async () => {
  await query(lab.db, 'truncate people, identifiers, consents, suppressions, events cascade');
  await query(
    lab.db,
    `insert into people (external_id, attributes, created_at, seen_at) select 'x' || n, jsonb_build_object('email', case when n = 7
      then '100%_sure@example.com' else 'p' || n || '@example.com' end, 'firstName', 'Robin'), now(), now() - n * interval '1 minute'
        from generate_series(1, 250) n`,
  );
  const all = { words: null, rule: null, insideFlow: null };
  expect(await countPeople(lab.db, { ...all, words: '100%_' })).toBe(1);
  expect(await countPeople(lab.db, { ...all, words: 'robin' })).toBe(250);
  for (const sort of ['seen', 'created', 'name', 'value', 'orders'] as const) {
    const pages = await Promise.all([0, 100, 200].map((offset) => listPeople(lab.db, all, sort, true, 100, offset)));
    expect(new Set(pages.flat().map((row) => row.id)).size, sort).toBe(250);
  }
});
