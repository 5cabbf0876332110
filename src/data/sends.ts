import type { Instant } from '@/core/time';
import type { FactEvent, Facts, Value } from '@/core/rules';
import { query, queryOne, type Sql } from './db';
import { reachOf, REACH_COLUMNS } from './facts';
import type { SendRef } from './runs';
import { rowsOf } from './rows';

const REPORTS = rowsOf({ person_id: 'bigint', send_id: 'bigint', type: 'text', at: 'moment' });

export interface SendRow {
  person_id: string;
  id: string;
  flow_id: number;
  version: number;
  step_id: string;
  state: 'queued' | 'sent' | 'delivered' | 'bounced' | 'failed' | 'skipped';
  reach: Facts['reach'];
  attributes: Record<string, Value>;
  declined: string[];
  trigger: FactEvent['properties'] | null;
}

/** Reads a queued send with all that its message needs, and holds it, so that no second worker takes it up. */
export async function holdSend(sql: Sql, ref: SendRef): Promise<SendRow | null> {
  const row = await queryOne<Omit<SendRow, 'reach'> & Parameters<typeof reachOf>[0]>(
    sql,
    `select s.person_id, s.id, s.flow_id, s.version, s.step_id, s.state, p.attributes, ${REACH_COLUMNS},
       array(select d.topic from declined_topics d where d.person_id = p.id) as declined,
       (select e.properties from events e where e.person_id = s.person_id and e.id = s.trigger_id) as trigger
     from sends s join people p on p.id = s.person_id
     where s.id = :id and s.person_id = :personId and s.state = 'queued' for update of s skip locked`,
    { ...ref },
  );
  return row && { ...row, reach: reachOf(row) };
}

/** Where a send stands that may have moved to another person since, by a merge: the person who has it now. */
export async function ownerOfSend(sql: Sql, ref: SendRef): Promise<string | null> {
  const row = await queryOne<{ person_id: string }>(
    sql,
    `select person_id from sends where id = :id and (person_id = :personId or person_id in (select winner_id from merges where loser_id = :personId))`,
    { ...ref },
  );
  return row?.person_id ?? null;
}

/** Notes what became of a send that was held. */
export async function settleSend(sql: Sql, ref: SendRef, state: 'sent' | 'failed' | 'skipped', at: Instant, more: { reason?: string; subject?: string }): Promise<void> {
  await query(
    sql,
    `update sends set state = :state, reason = :reason, subject = coalesce(:subject, subject), sent_at = case when :state = 'sent' then cast(:at as timestamptz) end
     where person_id = :personId and id = :id`,
    { ...ref, state, at: new Date(at), reason: more.reason ?? null, subject: more.subject ?? null },
  );
}

/** Notes on sends what message events tell of them: the first delivery, opening and click. A bounce is final. */
export async function noteMessageEvents(sql: Sql, rows: readonly { personId: string; sendId: string; type: string; time: Instant }[]): Promise<void> {
  if (!rows.length) return;
  await query(
    sql,
    `update sends s set
       delivered_at = least(s.delivered_at, r.delivered), opened_at = least(s.opened_at, r.opened), clicked_at = least(s.clicked_at, r.clicked),
       state = case when r.bounced is not null then 'bounced' when s.state = 'sent' and coalesce(r.delivered, r.opened, r.clicked) is not null then 'delivered' else s.state end
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
  const rows = await query<{ id: string; flow_id: number; step_id: string }>(sql, `select id, flow_id, step_id from sends where person_id = any(cast(:personIds as bigint[]))`, { personIds });
  return new Map(rows.map((row) => [row.id, { flowId: row.flow_id, stepId: row.step_id }]));
}

/** True while a mail handed over within the last seconds of real time has not been reported on by the mail server. */
export async function isDeliveryOpen(sql: Sql): Promise<boolean> {
  const row = await queryOne<{ waiting: boolean }>(
    sql,
    `select exists (select 1 from sends s, store where s.state = 'sent' and s.sent_at > now() + store.clock_offset_ms * interval '1 millisecond' - interval '3 seconds') as waiting`,
  );
  return row!.waiting;
}

/** Whose send it is, or null when there is none with this number. */
export async function personOfSend(sql: Sql, sendId: string): Promise<string | null> {
  return (await queryOne<{ person_id: string }>(sql, 'select person_id from sends where id = :sendId', { sendId }))?.person_id ?? null;
}
