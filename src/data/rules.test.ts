import fc from 'fast-check';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { evaluate, ruleSchema, type Rule } from '@/core/rules';
import { DAY } from '@/core/time';
import { openLab, type Lab } from '@/server/testing/lab';
import { asRows, query } from './db';
import { countPeople, listPeople } from './directory';
import { loadFacts } from './facts';
import { NotForLists, ruleToSql } from './rules';

const NOW = Date.parse('2026-11-24T12:00:00Z');
const ZONE = 'Europe/Amsterdam';
let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());

const value = fc.oneof(fc.constantFrom('NL', 'nl', '', "O'Hara \\ %_:x?", '10'), fc.integer({ min: -2, max: 12 }), fc.constantFrom(0.1, 1e21, 10.0), fc.boolean());
const name = fc.constantFrom('country', 'points', 'plan.name', 'plan');
const comparison = fc.oneof(
  fc.record({ op: fc.constantFrom('is', 'isNot'), value }),
  fc.record({ op: fc.constantFrom('atLeast', 'above', 'atMost', 'below'), value: fc.oneof(fc.integer({ min: -2, max: 12 }), fc.constant(0.1)) }),
  fc.record({ op: fc.constant('contains'), value: fc.constantFrom('N', '', '%', "'", '\\') }),
  fc.record({ op: fc.constant('oneOf'), value: fc.array(value, { maxLength: 3 }) }),
  fc.record({ op: fc.constantFrom('known', 'unknown') }),
);
const leaf = fc.oneof(
  fc.tuple(name, comparison).map(([n, c]) => ({ test: 'attribute', name: n, ...c })),
  fc.boolean().map((reachable) => ({ test: 'consent', channel: 'email', reachable })),
  fc.record({
    test: fc.constantFrom('did', 'didNot'), event: fc.constantFrom('a.a', 'b.b'), times: fc.integer({ min: 1, max: 3 }),
    since: fc.constantFrom('ever', { last: 'P1D' }, { last: 'P30D' }, { last: 'PT36H' }, { last: 'P1M' }),
    where: fc.array(fc.tuple(name, comparison).map(([property, c]) => ({ property, ...c })), { maxLength: 2 }),
  }),
);
const { rule } = fc.letrec<{ rule: unknown }>((tie) => ({
  rule: fc.oneof({ depthSize: 'small' }, leaf as fc.Arbitrary<unknown>, fc.record({ all: fc.array(tie('rule'), { maxLength: 3 }) }), fc.record({ any: fc.array(tie('rule'), { maxLength: 3 }) }), fc.record({ none: fc.array(tie('rule'), { maxLength: 3 }) })),
}));
const bag = fc.dictionary(fc.constantFrom('country', 'points', 'plan.name'), fc.oneof(value, fc.constant(null)), { maxKeys: 3 }).chain((flat) => fc.option(fc.record({ name: value }), { nil: undefined }).map((plan) => ({ ...flat, ...(plan && { plan }) })));
const person = fc.record({
  attributes: bag, hasEmail: fc.boolean(), consent: fc.constantFrom('given', 'withdrawn', null), suppressed: fc.boolean(),
  events: fc.array(fc.record({ type: fc.constantFrom('a.a', 'b.b'), ago: fc.oneof(fc.integer({ min: -DAY, max: 40 * DAY }), fc.constantFrom(0, DAY, 30 * DAY, 31 * DAY)), properties: bag }), { maxLength: 5 }),
});

it('the rule in memory and the rule as SQL pick the same people, for any people, events and rules', async () => {
  await fc.assert(fc.asyncProperty(fc.array(person, { minLength: 4, maxLength: 8 }), fc.array(rule, { minLength: 6, maxLength: 6 }), async (people, rules) => {
    await query(lab.db, 'truncate people, identifiers, consents, suppressions, events cascade');
    const rows = people.map((one, index) => ({ ...one, id: index + 1, email: `p${index}@example.com` }));
    await query(lab.db, `insert into people (id, attributes, created_at, seen_at) select id, attributes, now(), now() from json_to_recordset(cast(:rows as json)) as r(id bigint, attributes jsonb)`, {
      rows: asRows(rows.map((one) => ({ id: one.id, attributes: { ...one.attributes, ...(one.hasEmail && { email: one.email }) } }))),
    });
    await query(lab.db, `insert into consents (person_id, channel, state, at) select id, 'email', consent, now() from json_to_recordset(cast(:rows as json)) as r(id bigint, consent text) where consent is not null`, { rows: asRows(rows.map((one) => ({ id: one.id, consent: one.consent }))) });
    await query(lab.db, `insert into suppressions (channel, address, reason, at) select 'email', email, 'bounced', now() from json_to_recordset(cast(:rows as json)) as r(email text)`, { rows: asRows(rows.filter((one) => one.suppressed).map((one) => ({ email: one.email }))) });
    await query(lab.db, `insert into events (person_id, type, time, source, event_id, properties, received_at) select person_id, type, time, 't', 'e', properties, now() from json_to_recordset(cast(:rows as json)) as r(person_id bigint, type text, time timestamptz, properties jsonb)`, {
      rows: asRows(rows.flatMap((one) => one.events.map((e) => ({ person_id: one.id, type: e.type, time: new Date(NOW - e.ago), properties: e.properties })))),
    });
    const facts = await loadFacts(lab.db, rows.map((one) => String(one.id)), ['a.a', 'b.b']);
    for (const input of rules) {
      const parsed = ruleSchema.safeParse(input);
      if (!parsed.success) continue;
      const compiled = ruleToSql(parsed.data, NOW, ZONE);
      const picked = (await query<{ id: string }>(lab.db, `select p.id from people p where ${compiled.condition} order by p.id`, { ...compiled.bindings })).map((row) => row.id);
      const held = [...facts.values()].filter((known) => evaluate(parsed.data, known, { now: NOW, zone: ZONE }).holds).map((known) => known.personId).sort((a, b) => Number(a) - Number(b));
      expect(picked, JSON.stringify(parsed.data)).toEqual(held);
    }
  }), { numRuns: 60 });
});

it('a rule that only makes sense inside a flow is refused for lists', () => {
  const inside: Rule = { none: [{ test: 'did', event: 'order.placed', since: 'entry' }] };
  expect(() => ruleToSql(inside, NOW, ZONE)).toThrow(NotForLists);
  expect(() => ruleToSql({ test: 'trigger', property: 'value', op: 'known' }, NOW, ZONE)).toThrow(NotForLists);
});

it('the directory searches words as they are, wildcards included, and pages without gaps', async () => {
  await query(lab.db, 'truncate people, identifiers, consents, suppressions, events cascade');
  await query(lab.db, `insert into people (external_id, attributes, created_at, seen_at) select 'x' || n, jsonb_build_object('email', case when n = 7 then '100%_sure@example.com' else 'p' || n || '@example.com' end, 'firstName', 'Robin'), now(), now() - n * interval '1 minute' from generate_series(1, 250) n`);
  const all = { words: null, rule: null, insideFlow: null };
  expect(await countPeople(lab.db, { ...all, words: '100%_' })).toBe(1);
  expect(await countPeople(lab.db, { ...all, words: 'robin' })).toBe(250);
  for (const sort of ['seen', 'created', 'name', 'value', 'orders'] as const) {
    const pages = await Promise.all([0, 100, 200].map((offset) => listPeople(lab.db, all, sort, true, 100, offset)));
    expect(new Set(pages.flat().map((row) => row.id)).size, sort).toBe(250);
  }
});
