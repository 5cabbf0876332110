import type { Instant } from '@/core/time';
import type { Run } from '@/core/flows';
import type { Channel, FactEvent, Facts, Value } from '@/core/rules';
import { query, queryOne, queryPrepared, rowsOf, type Sql } from '../db';
import { REACH_COLUMNS, reachOf } from '../rules';
import type { SendRef } from '../flows';
import { ALIVE } from '../work';

const REPORTS = rowsOf({ person_id: 'bigint', send_id: 'bigint', type: 'text', at: 'moment' });

const KEPT = rowsOf({ id: 'bigint', at: 'moment' });
const REFS = rowsOf({ person_id: 'bigint', id: 'bigint' });
const SETTLED = rowsOf({ id: 'bigint', state: 'text', at: 'moment', reason: 'text', subject: 'text' });

export interface SendRow {
  person_id: string;
  id: string;
  run_id: string;
  flow_id: number;
  version: number;
  step_id: string;
  /** which form of its message it is; null for that for everyone else */
  content: string | null;
  /** which conditions of its message held as it was let go */
  holds: string[];
  state: 'queued' | 'sent' | 'delivered' | 'bounced' | 'failed' | 'skipped';
  reach: Facts['reach'];
  attributes: Record<string, Value>;
  declined: string[];
  about: FactEvent['properties'] | null;
  answers: Run['answers'] | null;
}

/** Whether whoever has something in hand still lives: workers show it by an advisory lock. */
export const isHeldSql = (
  holder: string,
): string => `exists (select 1 from pg_locks lock where lock.locktype = 'advisory' and lock.classid = ${ALIVE} and lock.objid = ${holder} and lock.granted
  and lock.database = (select oid from pg_database where datname = current_database()))`;

/**
 * Takes queued sends in hand for a worker and reads them with all that their messages need, by number; those that are over, or
 * in the hands of another who lives, are not answered. A send is found by its number alone, since merges move it. No
 * transaction stays open: the hold ends when a send is settled or left, or with the worker.
 */
export async function takeSends(sql: Sql, refs: readonly SendRef[], holder: number): Promise<Map<string, SendRow>> {
  const rows = await queryPrepared<Omit<SendRow, 'reach'> & Parameters<typeof reachOf>[0]>(
    sql,
    'take_sends_4',
    `with held as (
       update sends s set held_by = :holder from ${REFS.sql} as a where s.id = a.id and s.state = 'queued'
         and (s.held_by is null or s.held_by = :holder or not ${isHeldSql('s.held_by')}) returning s.*
     )
     select s.person_id, s.id, s.run_id, s.flow_id, s.version, s.step_id, s.content, s.holds, s.state, p.attributes, ${REACH_COLUMNS},
       array(select d.topic from declined_topics d where d.person_id = p.id) as declined,
       coalesce(r.about_data, (select e.properties from events e where e.person_id = r.person_id and e.time = r.about_at and e.id = r.about_event)) as about,
       r.answers
     from held s join people p on p.id = s.person_id left join runs r on r.person_id = s.person_id and r.id = s.run_id`,
    { rows: REFS.of(refs.map(({ personId, id }) => ({ person_id: personId, id }))), holder },
  );
  return new Map(rows.map((row) => [row.id, { ...row, reach: reachOf(row) }]));
}

/** {@link takeSends} of one; null when it is not to be had. */
export const takeSend = async (sql: Sql, ref: SendRef, holder: number): Promise<SendRow | null> =>
  (await takeSends(sql, [ref], holder)).get(ref.id) ?? null;

/** Gives a send back that could not be carried out for now. */
export async function leaveSend(sql: Sql, ref: SendRef): Promise<void> {
  await query(sql, `update sends set held_by = null where id = :id`, { id: ref.id });
}

/** Keeps sends back that were let go and may not go out at this moment, until a moment. */
export async function keepBack(sql: Sql, kept: readonly { readonly id: string; readonly until: Instant }[]): Promise<void> {
  if (!kept.length) return;
  await query(sql, `update sends s set held_by = null, not_before = r.at from ${KEPT.sql} as r where s.id = r.id and s.state = 'queued'`, {
    rows: KEPT.of(kept.map(({ id, until }) => ({ id, at: new Date(until) }))),
  });
}

/**
 * Keeps sends back that a pause of their flow came before: those whose flow is paused at this moment. Those of a flow that has gone on
 * meanwhile are only given back. Answers with these.
 */
export async function keepPaused(sql: Sql, refs: readonly SendRef[]): Promise<SendRef[]> {
  if (!refs.length) return [];
  const rows = await query<{ person_id: string; id: string; paused: boolean; kind: string }>(
    sql,
    `with stopped as materialized (select id from flows where state = 'paused'
       and id in (select flow_id from sends where id = any(cast(:ids as bigint[]))) for share)
     update sends set held_by = null, paused = flow_id in (select id from stopped)
     where id = any(cast(:ids as bigint[])) and state = 'queued' returning person_id, id, kind, paused`,
    { ids: refs.map(({ id }) => id) },
  );
  return rows.filter(({ paused }) => !paused).map((row) => ({ personId: row.person_id, id: row.id, isService: row.kind === 'service' }));
}

/** Lets those go that a pause of a flow has kept back; with a reason they are let pass, and it stands on them. Answers with those that go. */
export async function endPaused(sql: Sql, flowId: number, reason: string | null = null): Promise<SendRef[]> {
  const rows = await query<{ person_id: string; id: string; kind: string }>(
    sql,
    reason === null
      ? 'update sends set paused = false where flow_id = :flowId and paused returning person_id, id, kind'
      : `update sends set paused = false, state = 'skipped', reason = :reason where flow_id = :flowId and paused
         returning person_id, id, kind`,
    { flowId, ...(reason !== null && { reason }) },
  );
  return reason === null ? rows.map((row) => ({ personId: row.person_id, id: row.id, isService: row.kind === 'service' })) : [];
}

/** How many messages a pause of a flow keeps back, by version and step. */
export const pausedBy = (sql: Sql, flowId: number): Promise<{ version: number; step: string; sends: number }[]> =>
  query(
    sql,
    `select version, step_id as step, count(*)::int as sends from sends where flow_id = :flowId and paused group by 1, 2 order by 3 desc, 1, 2`,
    { flowId },
  );

/** Lets those go whose moment has come. Answers with them. */
export async function letGo(sql: Sql, now: Instant, limit: number): Promise<SendRef[]> {
  const rows = await query<{ person_id: string; id: string; kind: string }>(
    sql,
    `update sends s set not_before = null from (select person_id, id from sends where not_before <= :now order by not_before limit :limit
       for update skip locked) d where s.person_id = d.person_id and s.id = d.id returning s.person_id, s.id, s.kind`,
    { now: new Date(now), limit },
  );
  return rows.map((row) => ({ personId: row.person_id, id: row.id, isService: row.kind === 'service' }));
}

/** The domains to which sends go, and since when they wait, by their number. */
export async function domainsOfSends(sql: Sql, refs: readonly SendRef[]): Promise<Map<string, { domain: string; queuedAt: Instant }>> {
  const rows = await query<{ id: string; domain: string; queued_at: Date }>(
    sql,
    `select s.id, case s.channel when 'email' then split_part(p.email, '@', 2) else s.channel end as domain, s.queued_at
     from sends s join people p on p.id = s.person_id where s.id = any(cast(:ids as bigint[])) and (s.channel <> 'email' or p.email is not null)`,
    { ids: refs.map((ref) => ref.id) },
  );
  return new Map(rows.map((row) => [row.id, { domain: row.domain, queuedAt: row.queued_at.getTime() }]));
}

/**
 * Finds whose a send is now, and what it was. By its number alone: merges may have moved it, in any number and order, and the
 * links that name it are sealed.
 */
export async function ownerOfSend(sql: Sql, sendId: string): Promise<AboutSend | null> {
  return queryOne<AboutSend>(sql, `${ABOUT} where s.id = :sendId`, { sendId });
}

/** Whose a send is, and of which message of which flow. */
export interface AboutSend {
  readonly person_id: string;
  readonly flow: string;
  readonly step: string;
  readonly channel: Channel;
}
const ABOUT = 'select s.person_id, f.key as flow, s.step_id as step, s.channel from sends s join flows f on f.id = s.flow_id';

/** What became of a send. */
export interface Settled {
  readonly id: string;
  readonly state: 'sent' | 'failed' | 'skipped';
  readonly at: Instant;
  readonly reason?: string;
  readonly subject?: string;
}

/** A send of which it has just been noted what became of it. */
export interface JustSent {
  readonly id: string;
  readonly person_id: string;
  readonly flow: string;
  readonly step: string;
  readonly channel: string;
  readonly kind: 'marketing' | 'service';
  readonly became: Settled['state'];
}

/**
 * Notes what became of sends, wherever they stand by now. What the mail server has reported meanwhile counts: one that is
 * delivered or bounced is no longer merely sent. Answers with what each has become, and whose it is by now.
 */
export async function settleSends(sql: Sql, settled: readonly Settled[]): Promise<JustSent[]> {
  return queryPrepared<JustSent>(
    sql,
    'settle_sends',
    `update sends s set held_by = null, reason = r.reason, subject = coalesce(r.subject, s.subject),
       state = case when s.state <> 'queued' then s.state else r.state end,
       sent_at = case when r.state = 'sent' then coalesce(s.sent_at, r.at) else s.sent_at end
     from ${SETTLED.sql} as r, flows f where s.id = r.id and f.id = s.flow_id
     returning s.id, s.person_id, f.key as flow, s.step_id as step, s.channel, s.kind, r.state as became`,
    {
      rows: SETTLED.of(
        settled.map(({ id, state, at, reason, subject }) => ({
          id,
          state,
          at: new Date(at),
          reason: reason ?? null,
          subject: subject ?? null,
        })),
      ),
    },
  );
}

/**
 * Notes on sends what message events tell of them: the first delivery, opening and click. What was delivered has been sent,
 * whether we had noted that or not. A bounce is final.
 */
export async function noteMessageEvents(
  sql: Sql,
  rows: readonly { personId: string; sendId: string; type: string; time: Instant }[],
): Promise<void> {
  if (!rows.length) return;
  await query(
    sql,
    `update sends s set
       delivered_at = least(s.delivered_at, r.delivered), opened_at = least(s.opened_at, r.opened), clicked_at = least(s.clicked_at, r.clicked),
       state = case when r.bounced is not null then 'bounced'
         when s.state in ('queued', 'sent') and coalesce(r.delivered, r.opened, r.clicked) is not null then 'delivered' else s.state end,
       sent_at = coalesce(s.sent_at, r.delivered, r.opened, r.clicked, r.bounced)
     from (
       select person_id, send_id,
         min(at) filter (where type = 'message.delivered') as delivered, min(at) filter (where type = 'message.opened') as opened,
         min(at) filter (where type = 'message.clicked') as clicked, min(at) filter (where type = 'message.bounced') as bounced
       from ${REPORTS.sql} as x group by 1, 2
     ) r where s.person_id = r.person_id and s.id = r.send_id`,
    { rows: REPORTS.of(rows.map((r) => ({ person_id: r.personId, send_id: r.sendId, type: r.type, at: new Date(r.time) }))) },
  );
}

/** The flow and step of sends: what credit is written against. Keys are send ids. */
export async function placesOfSends(sql: Sql, personIds: readonly string[]): Promise<Map<string, { flowId: number; stepId: string }>> {
  const rows = await query<{ id: string; flow_id: number; step_id: string }>(
    sql,
    `select id, flow_id, step_id from sends where person_id = any(cast(:personIds as bigint[]))`,
    { personIds },
  );
  return new Map(rows.map((row) => [row.id, { flowId: row.flow_id, stepId: row.step_id }]));
}

/** True while a mail handed over within the last seconds of real time has not been reported on by the mail server. */
export async function isDeliveryOpen(sql: Sql): Promise<boolean> {
  const row = await queryOne<{ waiting: boolean }>(
    sql,
    `select exists (select 1 from sends s, store where s.state = 'sent'
      and s.sent_at > now() + store.clock_offset_ms * interval '1 millisecond' - interval '3 seconds') as waiting`,
  );
  return row!.waiting;
}

/** Whose send it is, or null when there is none with this number. */
export const aboutSend = (sql: Sql, sendId: string): Promise<AboutSend | null> =>
  queryOne<AboutSend>(sql, `${ABOUT} where s.id = :sendId`, { sendId });
