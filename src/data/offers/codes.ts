import { randomInt } from 'node:crypto';
import { codeOf, type Offer } from '@/core/offers';
import { spellingOf } from '@/core/rules';
import type { Instant } from '@/core/time';
import { query, queryOne, rowsOf, type Sql } from '../db';

/** A code that is to be issued. */
export interface NewCode {
  readonly personId: string;
  readonly offer: string;
  readonly document: Offer;
  /** what stands before its letters */
  readonly prefix: string;
  readonly at: Instant;
  readonly expiresAt: Instant | null;
  readonly how: string;
  /** the run and step that issue it; none where somebody does by hand */
  readonly of: { readonly runId: string; readonly flowId: number; readonly stepId: string; readonly visit: number } | null;
}

const ISSUED = rowsOf({
  at_row: 'int',
  spelling: 'text',
  code: 'text',
  offer: 'text',
  person_id: 'bigint',
  run_id: 'bigint',
  flow_id: 'int',
  step_id: 'text',
  visit: 'int',
  how: 'text',
  at: 'moment',
  expires_at: 'moment',
});

const rowOf = (one: NewCode, index: number, code: string | null) => ({
  at_row: index,
  spelling: code === null ? null : spellingOf(code),
  code,
  offer: one.offer,
  person_id: one.personId,
  run_id: one.of?.runId ?? null,
  flow_id: one.of?.flowId ?? null,
  step_id: one.of?.stepId ?? null,
  visit: one.of?.visit ?? null,
  how: one.how,
  at: new Date(one.at),
  expires_at: one.expiresAt === null ? null : new Date(one.expiresAt),
});

/**
 * Issues codes, each once by its run, step and visit, and answers with their letters in the order in which they were asked for;
 * null where none was left in store. No two codes are spelt alike: the database holds that, and who draws letters that are taken
 * draws again, more of them when that has happened often.
 */
export async function issueCodes(sql: Sql, wanted: readonly NewCode[]): Promise<(string | null)[]> {
  const codes: (string | null)[] = wanted.map(() => null);
  let open = wanted.flatMap((one, index) => ('loaded' in one.document.code ? [] : [{ one, index }]));
  for (let round = 0; open.length; round++) {
    if (round > 20) throw new Error('no free letters were found for a code');
    const rows = open.map(({ one, index }) => {
      const { code } = one.document;
      const letters = ('letters' in code ? code.letters : 6) + (round > 2 ? round - 2 : 0);
      return rowOf(one, index, codeOf(one.prefix, letters, randomInt));
    });
    // of several that drew the same only one is tried
    const tried = [...new Map(rows.map((row) => [row.spelling, row])).values()];
    const put = await query<{ spelling: string }>(
      sql,
      `insert into codes (spelling, code, offer, person_id, run_id, flow_id, step_id, visit, how, issued_at, expires_at)
       select spelling, code, offer, person_id, run_id, flow_id, step_id, visit, how, at, expires_at from ${ISSUED.sql} as r
       on conflict (spelling) do nothing returning spelling`,
      { rows: ISSUED.of(tried) },
    );
    const taken = new Set(put.map((row) => row.spelling));
    for (const row of tried) if (taken.has(row.spelling!)) codes[row.at_row] = row.code;
    open = open.filter(({ index }) => codes[index] === null);
  }
  const loaded = wanted.flatMap((one, index) => ('loaded' in one.document.code ? [{ one, index }] : []));
  if (loaded.length) {
    const given = await query<{ at_row: number; code: string }>(
      sql,
      `with wanted as (select r.*, row_number() over (partition by r.offer order by r.at_row) as place from ${ISSUED.sql} as r),
         -- as many as are needed of each offer by itself
         needed as (select offer, count(*) as codes from wanted group by offer),
         stored as (select c.id, n.offer, row_number() over (partition by n.offer order by c.id) as place
           from needed n cross join lateral (
             select id from codes where offer = n.offer and issued_at is null order by id limit n.codes for update skip locked) c)
       update codes c set person_id = w.person_id, run_id = w.run_id, flow_id = w.flow_id, step_id = w.step_id, visit = w.visit,
         how = w.how, issued_at = w.at, expires_at = w.expires_at
       from wanted w join stored s on s.offer = w.offer and s.place = w.place where c.id = s.id returning w.at_row, c.code`,
      { rows: ISSUED.of(loaded.map(({ one, index }) => rowOf(one, index, null))) },
    );
    for (const row of given) codes[row.at_row] = row.code;
  }
  await query(
    sql,
    `update offers o set issued = o.issued + n.count from (select offer, count(*) as count from ${ISSUED.sql} as r group by offer) n
     where o.key = n.offer and o.document -> 'most' is not null`,
    { rows: ISSUED.of(wanted.flatMap((one, index) => (codes[index] === null ? [] : [rowOf(one, index, null)]))) },
  );
  return codes;
}

const STORED = rowsOf({ spelling: 'text', code: 'text' });

/** Lays codes of the shop's own in store for an offer; answers with how many are new. Those that are on file already stay as they are. */
export async function loadCodes(sql: Sql, offer: string, codes: readonly string[]): Promise<number> {
  const rows = [...new Map([...codes].reverse().map((code) => [spellingOf(code), code.trim()])).entries()].filter(([spelling]) => spelling);
  if (!rows.length) return 0;
  const put = await query<{ id: string }>(
    sql,
    `insert into codes (spelling, code, offer) select spelling, code, :offer from ${STORED.sql} as r on conflict (spelling) do nothing returning id`,
    { offer, rows: STORED.ofAnything(rows.map(([spelling, code]) => ({ spelling, code: code.slice(0, 80) }))) },
  );
  return put.length;
}

export interface CodeRow {
  readonly id: string;
  readonly code: string;
  readonly offer: string;
  readonly document: Offer;
  readonly is_archived: boolean;
  readonly person_id: string | null;
  readonly person: string | null;
  readonly person_name: string | null;
  readonly flow: string | null;
  readonly flow_name: string | null;
  readonly step_id: string | null;
  readonly how: string | null;
  readonly issued_at: Date | null;
  readonly expires_at: Date | null;
  readonly used_at: Date | null;
  readonly order_id: string | null;
  readonly used_by: string | null;
  readonly discount_minor: string | null;
  readonly currency: string | null;
}

const CODE = `select c.*, o.document, o.archived_at is not null as is_archived, f.key as flow, f.name as flow_name,
    case when p.erased_at is null then coalesce(p.external_id, '~' || p.id) end as person,
    coalesce(nullif(trim(concat_ws(' ', p.attributes ->> 'firstName', p.attributes ->> 'lastName')), ''),
      p.attributes ->> 'email', p.external_id, '') as person_name
  from codes c join offers o on o.key = c.offer left join people p on p.id = c.person_id left join flows f on f.id = c.flow_id`;

export const findCode = (sql: Sql, code: string): Promise<CodeRow | null> =>
  queryOne<CodeRow>(sql, `${CODE} where c.spelling = :spelling`, { spelling: spellingOf(code) });

/** The codes of an offer that somebody has been issued, the newest first. */
export const codesOfPerson = (
  sql: Sql,
  offer: string,
  personId: string,
): Promise<{ code: string; expires_at: Date | null; used_at: Date | null }[]> =>
  query(sql, 'select code, expires_at, used_at from codes where offer = :offer and person_id = :personId order by issued_at desc', {
    offer,
    personId,
  });

export type CodeLife = 'open' | 'used' | 'expired' | 'stored';

/** The codes of an offer, those issued last first: all that are issued, or those in one state. */
export async function codesOf(
  sql: Sql,
  {
    offer,
    state,
    now,
    limit,
    before,
  }: { offer: string; state: CodeLife | null; now: Instant; limit: number; before: { at: Instant; id: string } | null },
): Promise<CodeRow[]> {
  const by: Record<CodeLife | 'issued', string> = {
    issued: 'c.issued_at is not null',
    open: 'c.issued_at is not null and c.used_at is null and (c.expires_at is null or c.expires_at > :now)',
    used: 'c.used_at is not null',
    expired: 'c.used_at is null and c.expires_at <= :now',
    stored: 'c.issued_at is null',
  };
  return query<CodeRow>(
    sql,
    `${CODE} where c.offer = :offer and ${by[state ?? 'issued']} and (cast(:beforeAt as timestamptz) is null
       or (coalesce(c.issued_at, 'epoch'), c.id) < (cast(:beforeAt as timestamptz), cast(:beforeId as bigint)))
     order by coalesce(c.issued_at, 'epoch') desc, c.id desc limit :limit`,
    { offer, now: new Date(now), limit, beforeAt: before && new Date(before.at), beforeId: before?.id ?? null },
  );
}

/** The code that a run has been issued last, by run; with the terms of its offer. */
export async function codesOfRuns(
  sql: Sql,
  runs: readonly { readonly personId: string; readonly runId: string }[],
): Promise<Map<string, Pick<CodeRow, 'code' | 'document' | 'expires_at' | 'used_at'>>> {
  if (!runs.length) return new Map();
  const rows = await query<Pick<CodeRow, 'code' | 'document' | 'expires_at' | 'used_at'> & { run_id: string }>(
    sql,
    `select distinct on (c.run_id) c.run_id, c.code, o.document, c.expires_at, c.used_at from codes c join offers o on o.key = c.offer
     where c.person_id = any(cast(:people as bigint[])) and c.run_id = any(cast(:runs as bigint[])) order by c.run_id, c.issued_at desc, c.id desc`,
    { people: runs.map(({ personId }) => personId), runs: runs.map(({ runId }) => runId) },
  );
  return new Map(rows.map((row) => [row.run_id, row]));
}

/**
 * Finds out anew which order has used which code, for the codes that orders of these people name or have used: the first that
 * names it, whoever's it is, but for one that is cancelled where the offer gives its code back. What several codes of one order
 * took off together is shared among them. The same whatever order the events came in. Answers with the offers that it concerns.
 */
export async function settleCodes(sql: Sql, personIds: readonly string[]): Promise<string[]> {
  if (!personIds.length) return [];
  // held first, and looked at in a statement of its own: orders of the same code that were being told meanwhile are seen by now
  const held = await query<{ id: string }>(
    sql,
    `with touched as materialized (
       select c.id from codes c where c.used_by = any(cast(:personIds as bigint[]))
       union select c.id from codes c
         where c.spelling in (select unnest(o.codes) from orders o where o.person_id = any(cast(:personIds as bigint[])) and o.codes <> '{}')
     )
     select c.id from codes c where c.id in (select id from touched) order by c.id for no key update`,
    { personIds },
  );
  if (!held.length) return [];
  const changed = await query<{ offer: string }>(
    sql,
    `with touched as materialized (
       select c.id, c.spelling, c.offer from codes c where c.id = any(cast(:ids as bigint[]))
     ), first_use as (
       select distinct on (t.id) t.id, o.person_id, o.order_id, o.placed_at, o.discount_minor, o.currency, o.codes, t.spelling
       from touched t join offers f on f.key = t.offer join orders o on o.codes @> array[t.spelling] and o.codes <> '{}'
       where o.placed_at is not null and not (o.is_cancelled and (f.document ->> 'comesBack')::boolean)
       order by t.id, o.placed_at, o.person_id, o.order_id
     ), share as (
       select u.*, count(*) over same as parts, row_number() over (same order by u.spelling) as part from first_use u
       window same as (partition by u.person_id, u.order_id)
     )
     update codes c set used_at = s.placed_at, used_by = s.person_id, order_id = s.order_id, currency = s.currency,
       discount_minor = s.discount_minor / s.parts + case when s.part <= s.discount_minor % s.parts then 1 else 0 end,
       is_told = false
     from touched t left join share s on s.id = t.id where c.id = t.id
       and (c.used_at, c.used_by, c.order_id, c.discount_minor, c.currency) is distinct from (s.placed_at, s.person_id, s.order_id,
         s.discount_minor / s.parts + case when s.part <= s.discount_minor % s.parts then 1 else 0 end, s.currency)
     returning c.offer`,
    { ids: held.map((row) => row.id) },
  );
  return [...new Set(changed.map((row) => row.offer))].sort();
}

export interface CodeToTell {
  readonly id: string;
  readonly person_id: string;
  readonly code: string;
  readonly spelling: string;
  readonly offer: string;
  readonly used_at_ms: string | null;
  readonly expires_at_ms: string | null;
  readonly order_id: string | null;
  readonly used_by: string | null;
  readonly discount_minor: string | null;
  readonly currency: string | null;
  readonly flow: string | null;
}

/** Takes codes whose life has come to its end by a moment and of which that is still to be told: with this transaction it is. */
export async function takeEndedCodes(sql: Sql, now: Instant, limit: number): Promise<CodeToTell[]> {
  return query<CodeToTell>(
    sql,
    `with ended as (select id from codes where not is_told and issued_at is not null and (used_at is not null or expires_at is not null)
         and least(used_at, expires_at) <= :now order by least(used_at, expires_at) limit :limit for update skip locked)
     update codes c set is_told = true from ended e where c.id = e.id
     returning c.id, c.person_id, c.code, c.spelling, c.offer, (extract(epoch from c.used_at) * 1000)::bigint as used_at_ms,
       (extract(epoch from c.expires_at) * 1000)::bigint as expires_at_ms, c.order_id, c.used_by, c.discount_minor, c.currency,
       (select key from flows f where f.id = c.flow_id) as flow`,
    { now: new Date(now), limit },
  );
}

/**
 * Which of these people share a phone number, a device or an address to which things are sent with somebody else who has had a code
 * of an offer: by person, the offers.
 */
export async function sharingOf(sql: Sql, personIds: readonly string[], offers: readonly string[]): Promise<Map<string, string[]>> {
  if (!personIds.length || !offers.length) return new Map();
  const rows = await query<{ id: string; offers: string[] }>(
    sql,
    `with mine as materialized (select id, attributes from people where id = any(cast(:personIds as bigint[]))),
       beside as (
         select m.id, w.person_id as other from weak_claims own join mine m on m.id = own.person_id
           join weak_claims w on w.identifier = own.identifier and w.person_id <> own.person_id
         union select m.id, q.id from mine m join people q on q.attributes ->> 'phone' is not null and q.attributes ->> 'phone' = m.attributes ->> 'phone'
         union select m.id, q.id from mine m join people q on q.attributes ->> 'address' is not null and q.attributes ->> 'postcode' is not null
           and lower(q.attributes ->> 'postcode') = lower(m.attributes ->> 'postcode') and lower(q.attributes ->> 'address') = lower(m.attributes ->> 'address'))
     select b.id, array_agg(distinct c.offer) as offers from beside b
       join codes c on c.person_id = b.other and c.person_id <> b.id and c.offer = any(cast(:offers as text[])) group by b.id`,
    { personIds, offers },
  );
  return new Map(rows.map((row) => [row.id, row.offers]));
}
