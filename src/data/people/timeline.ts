import type { Instant } from '@/core/time';
import type { Because, Value } from '@/core/rules';
import { query, type Sql } from '../db';

export interface TimelineRow {
  kind: 'event' | 'trace' | 'send' | 'consent' | 'note';
  at_ms: string;
  rank: number;
  id: string;
  /** the words; a decision of a flow has none yet, and what they are made from as its detail */
  title: string | null;
  type: string;
  flow_key: string | null;
  flow_name: string | null;
  step_id: string | null;
  run_id: string | null;
  because: Because | null;
  detail: { readonly [name: string]: Value } | null;
}

/**
 * One person's story, newest first: events, decisions of flows, sends that did not go out, changes of consent.
 * `before` continues after the last row seen. `words` looks in titles and contents; decisions of flows are answered whatever they say.
 */
export async function timeline(
  sql: Sql,
  personId: string,
  options: {
    limit: number;
    before: { at: Instant; rank: number; id: string } | null;
    kinds: readonly string[] | null;
    words: string | null;
    type?: string | null;
  },
): Promise<TimelineRow[]> {
  const { limit, before, kinds, words, type = null } = options;
  return query<TimelineRow>(
    sql,
    `with story as (
       select 'event' as kind, e.time as at, 1000000 as rank, e.id, e.type as title, e.type as type, f.key as flow_key, f.name as flow_name,
         s.step_id, s.run_id,
         cast(null as jsonb) as because, e.properties || jsonb_build_object('source', e.source, 'eventId', e.event_id) as detail
       from events e left join sends s on s.person_id = e.person_id and e.type like 'message.%' and s.id::text = e.properties->>'sendId'
         left join flows f on f.id = s.flow_id
       where e.person_id = :personId
         -- the decisions of flows say the same
         and not (e.source = 'viatic' and e.type in ('flow.entered', 'flow.left'))
       union all
       select 'trace', t.at, 2000000 + t.seq, t.run_id, t.says, t.kind, f.key, f.name, t.step_id, t.run_id, t.because,
         jsonb_build_object('flowId', f.id, 'version', t.version, 'arm', t.arm, 'saw', t.saw, 'trigger', r.trigger, 'key', r.key)
       from traces t join runs r on r.person_id = t.person_id and r.id = t.run_id join flows f on f.id = r.flow_id where t.person_id = :personId
       union all
       select 'send', coalesce(s.sent_at, s.queued_at), 3000000, s.id,
         case s.state when 'skipped' then 'Not sent: ' || s.reason when 'failed' then 'Failed: ' || s.reason when 'queued' then 'Waits to go out'
           else 'Sent “' || coalesce(s.subject, s.step_id) || '”' end,
         s.state, f.key, f.name, s.step_id, s.run_id, null, jsonb_strip_nulls(jsonb_build_object('subject', s.subject, 'state', s.state, 'reason', s.reason))
       from sends s join flows f on f.id = s.flow_id where s.person_id = :personId
       union all
       select 'consent', c.at, 500000, c.id, 'Consent to ' || c.channel || ' ' || c.state, 'consent.' || c.state, null, null, null, null, null,
         jsonb_strip_nulls(jsonb_build_object('how', c.how, 'place', c.place, 'wording', c.wording, 'box', c.box, 'country', c.country, 'enteredBy',
           c.actor, 'address', c.address))
       from consent_log c where c.person_id = :personId
       union all
       select 'send', coalesce(l.sent_at, l.queued_at), 3000001, l.id,
         case l.state when 'skipped' then 'Not sent: ' || l.reason when 'failed' then 'Failed: ' || l.reason when 'queued' then 'Waits to go out'
           else 'Sent “' || (l.message->>'subject') || '”' end,
         l.state, null, null, null, null, null, jsonb_strip_nulls(jsonb_build_object('subject', l.message->>'subject', 'state', l.state, 'reason',
           l.reason, 'writtenBy', l.by, 'purpose', l.purpose))
       from letters l where l.person_id = :personId
       union all
       select 'note', m.at, 4000000, m.id, 'Turned out to be one with ' || coalesce(m.loser->'attributes'->>'email', m.loser->>'external_id',
         'somebody else') || case when m.undone_at is null then '' else ' (undone)' end,
         'merged', null, null, null, null, null, jsonb_strip_nulls(jsonb_build_object('because', m.because, 'by', m.by, 'theirAttributes',
           m.loser->'attributes'))
       from merges m where m.winner_id = any(person_ids(:personId))
       union all
       select 'note', t.at, 4000001, row_number() over (order by t.tag), 'Tagged “' || t.tag || '”', 'tagged', null, null, null, null, null,
         jsonb_build_object('by', t.by) from person_tags t where t.person_id = :personId
     )
     select kind, (extract(epoch from date_trunc('milliseconds', at)) * 1000)::bigint as at_ms, rank, id, title, type, flow_key, flow_name, step_id,
       run_id, because, detail from story
     where (cast(:beforeAt as timestamptz) is null or (date_trunc('milliseconds', at), rank, id) < (cast(:beforeAt as timestamptz),
       cast(:beforeRank as int), cast(:beforeId as bigint)))
       and (cast(:kinds as text[]) is null or kind = any(cast(:kinds as text[])))
       and (cast(:type as text) is null or type = cast(:type as text))
       and (cast(:words as text) is null or (kind = 'trace' and title is null) or position(lower(cast(:words as text)) in lower(title || ' ' ||
         type || ' ' || coalesce(detail::text, ''))) > 0)
     order by date_trunc('milliseconds', at) desc, rank desc, id desc limit :limit`,
    {
      personId,
      limit,
      kinds,
      words,
      type,
      beforeAt: before ? new Date(before.at) : null,
      beforeRank: before?.rank ?? null,
      beforeId: before?.id ?? null,
    },
  );
}

export interface PersonRunRow {
  flow_key: string;
  flow_name: string;
  flow_id: number;
  version: number;
  run_id: string;
  key: string;
  phase: string;
  step: string | null;
  wake_at: Date | null;
  entered_at: Date | null;
  outcome: string | null;
  broken: string | null;
}

/** The flows a person is in, or whose trigger has begun for them. */
export async function openRuns(sql: Sql, personId: string): Promise<PersonRunRow[]> {
  return query<PersonRunRow>(
    sql,
    `select f.key as flow_key, f.name as flow_name, f.id as flow_id, r.version, r.id as run_id, r.key, r.phase, r.step, r.wake_at, r.entered_at,
      r.outcome, r.broken
     from runs r join flows f on f.id = r.flow_id where r.person_id = :personId and r.phase <> 'ended' order by r.wake_at nulls last`,
    { personId },
  );
}

/** The times between the orders of a person, in milliseconds, cancelled orders left out. */
export async function orderGaps(sql: Sql, personId: string): Promise<number[]> {
  const rows = await query<{ gap: string }>(
    sql,
    `select gap from (select (extract(epoch from placed_at - lag(placed_at) over (order by placed_at)) * 1000)::bigint as gap from orders
      where person_id = :personId and placed_at is not null and not is_cancelled) x where gap is not null`,
    { personId },
  );
  return rows.map((row) => Number(row.gap));
}

/** Others who have used a phone or a device of this person together with something of their own. */
export async function sharersOf(
  sql: Sql,
  personId: string,
): Promise<{ id: string; external_id: string | null; email: string | null; attributes: Record<string, Value>; identifier: string }[]> {
  return query(
    sql,
    `select distinct on (p.id) p.id, p.external_id, p.email, p.attributes, c.identifier from weak_claims mine
      join weak_claims c on c.identifier = mine.identifier and c.person_id <> mine.person_id
     join people p on p.id = c.person_id where mine.person_id = :personId and p.erased_at is null order by p.id limit 10`,
    { personId },
  );
}

export interface PersonTotals {
  orders: number;
  first_at: Date | null;
  last_at: Date | null;
  by_currency: { currency: string; minor: number }[] | null;
}

export async function personTotals(sql: Sql, personId: string): Promise<PersonTotals> {
  const [row] = await query<PersonTotals>(
    sql,
    `with net as (select currency, placed_at, case when is_cancelled then 0 else greatest(0, value_minor - refunded_minor) end as minor from orders
      where person_id = :personId and placed_at is not null)
     select (select count(*)::int from net) as orders, (select min(placed_at) from net) as first_at, (select max(placed_at) from net) as last_at,
       (select jsonb_agg(jsonb_build_object('currency', currency, 'minor', minor)) from (select currency, sum(minor) as minor from net group by 1
         order by 2 desc) x) as by_currency`,
    { personId },
  );
  return row!;
}
