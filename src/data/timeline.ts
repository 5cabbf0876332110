import type { Instant } from '@/core/time';
import type { Because, Value } from '@/core/rules';
import { query, type Sql } from './db';

export interface TimelineRow {
  kind: 'event' | 'trace' | 'send' | 'consent';
  at_ms: string;
  rank: number;
  id: string;
  title: string;
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
 * `before` continues after the last row seen. `words` looks in titles and contents.
 */
export async function timeline(sql: Sql, personId: string, options: { limit: number; before: { at: Instant; rank: number; id: string } | null; kinds: readonly string[] | null; words: string | null }): Promise<TimelineRow[]> {
  const { limit, before, kinds, words } = options;
  return query<TimelineRow>(
    sql,
    `with story as (
       select 'event' as kind, e.time as at, 1000000 as rank, e.id, e.type as title, e.type as type, f.key as flow_key, f.name as flow_name, s.step_id, s.run_id,
         cast(null as jsonb) as because, e.properties || jsonb_build_object('source', e.source, 'eventId', e.event_id) as detail
       from events e left join sends s on s.person_id = e.person_id and e.type like 'message.%' and s.id = (e.properties->>'sendId')::bigint left join flows f on f.id = s.flow_id
       where e.person_id = :personId
       union all
       select 'trace', t.at, 2000000 + t.seq, t.run_id, t.says, t.kind, f.key, f.name, t.step_id, t.run_id, t.because, null
       from traces t join runs r on r.person_id = t.person_id and r.id = t.run_id join flows f on f.id = r.flow_id where t.person_id = :personId
       union all
       select 'send', coalesce(s.sent_at, s.queued_at), 3000000, s.id,
         case s.state when 'skipped' then 'Not sent: ' || s.reason when 'failed' then 'Failed: ' || s.reason when 'queued' then 'Waits to go out' else 'Sent “' || coalesce(s.subject, s.step_id) || '”' end,
         s.state, f.key, f.name, s.step_id, s.run_id, null, jsonb_strip_nulls(jsonb_build_object('subject', s.subject, 'state', s.state, 'reason', s.reason))
       from sends s join flows f on f.id = s.flow_id where s.person_id = :personId
       union all
       select 'consent', c.at, 500000, c.id, 'Consent to ' || c.channel || ' ' || c.state, 'consent.' || c.state, null, null, null, null, null,
         jsonb_strip_nulls(jsonb_build_object('how', c.how, 'wording', c.wording))
       from consent_log c where c.person_id = :personId
     )
     select kind, (extract(epoch from at) * 1000)::bigint as at_ms, rank, id, title, type, flow_key, flow_name, step_id, run_id, because, detail from story
     where (cast(:beforeAt as timestamptz) is null or (date_trunc('milliseconds', at), rank, id) < (cast(:beforeAt as timestamptz), cast(:beforeRank as int), cast(:beforeId as bigint)))
       and (cast(:kinds as text[]) is null or kind = any(cast(:kinds as text[])))
       and (cast(:words as text) is null or position(lower(cast(:words as text)) in lower(title || ' ' || type || ' ' || coalesce(detail::text, ''))) > 0)
     order by date_trunc('milliseconds', at) desc, rank desc, id desc limit :limit`,
    { personId, limit, kinds, words, beforeAt: before ? new Date(before.at) : null, beforeRank: before?.rank ?? null, beforeId: before?.id ?? null },
  );
}

export interface PersonRunRow { flow_key: string; flow_name: string; flow_id: number; version: number; run_id: string; key: string; phase: string; step: string | null; wake_at: Date | null; entered_at: Date | null; outcome: string | null }

/** The flows a person is in, or whose trigger has begun for them. */
export async function openRuns(sql: Sql, personId: string): Promise<PersonRunRow[]> {
  return query<PersonRunRow>(
    sql,
    `select f.key as flow_key, f.name as flow_name, f.id as flow_id, r.version, r.id as run_id, r.key, r.phase, r.step, r.wake_at, r.entered_at, r.outcome
     from runs r join flows f on f.id = r.flow_id where r.person_id = :personId and r.phase <> 'ended' order by r.wake_at nulls last`,
    { personId },
  );
}

export interface PersonTotals { orders: number; first_at: Date | null; last_at: Date | null; by_currency: { currency: string; minor: number }[] | null }

export async function personTotals(sql: Sql, personId: string): Promise<PersonTotals> {
  const [row] = await query<PersonTotals>(
    sql,
    `with net as (select currency, placed_at, case when is_cancelled then 0 else greatest(0, value_minor - refunded_minor) end as minor from orders where person_id = :personId and placed_at is not null)
     select (select count(*)::int from net) as orders, (select min(placed_at) from net) as first_at, (select max(placed_at) from net) as last_at,
       (select jsonb_agg(jsonb_build_object('currency', currency, 'minor', minor)) from (select currency, sum(minor) as minor from net group by 1 order by 2 desc) x) as by_currency`,
    { personId },
  );
  return row!;
}
