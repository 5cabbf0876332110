import type { FlowState } from '@/core/api';
import { flowSchema, type FlowDocument } from '@/core/flows';
import type { Instant } from '@/core/time';
import { query, type Sql } from '../db';

export interface BroadcastRow {
  readonly id: number;
  readonly key: string;
  readonly name: string;
  readonly state: FlowState;
  readonly version: number | null;
  readonly draft: FlowDocument;
  /** as it was published last; null while it never was */
  readonly document: FlowDocument | null;
  /** its next occasion, or the one that is being told */
  readonly next_at: Date | null;
  /** somebody has been told of an occasion, and not everybody yet */
  readonly is_telling: boolean;
  /** up to which person it has been told */
  readonly told_to: string | null;
  readonly entered: number;
  readonly first_at: Date | null;
  /** how many stand inside, and how many wait to come in */
  readonly inside: number;
  readonly armed: number;
  readonly queued: number;
  readonly sent: number;
  readonly delivered: number;
  readonly bounced: number;
  readonly opened: number;
  readonly clicked: number;
  readonly orders: number;
  readonly minor: string;
}

/** Broadcasts with what has become of them, whatever their state; one alone where a key is named. Those put away where that is asked for. */
export async function broadcastRows(
  sql: Sql,
  of: { now: Instant; model: string; currency: string; key?: string; isAway?: boolean },
): Promise<BroadcastRow[]> {
  const rows = await query<BroadcastRow>(
    sql,
    `select f.id, f.key, f.name, f.state, f.version, f.draft, v.document, o.next_at, coalesce(o.is_telling, false) as is_telling, o.told_to,
       coalesce(r.entered, 0) as entered, r.first_at, coalesce(r.inside, 0) as inside, coalesce(r.armed, 0) as armed,
       coalesce(s.queued, 0) as queued, coalesce(s.sent, 0) as sent, coalesce(s.delivered, 0) as delivered, coalesce(s.bounced, 0) as bounced,
       coalesce(s.opened, 0) as opened, coalesce(s.clicked, 0) as clicked, coalesce(c.orders, 0) as orders, coalesce(c.minor, 0) as minor
     from flows f left join flow_versions v on v.flow_id = f.id and v.version = f.version
     left join lateral (select min(next_at) as next_at, bool_or(next_at <= :now) as is_telling,
       min(told_to) filter (where next_at <= :now) as told_to from flow_occasions where flow_id = f.id) o on true
     left join lateral (select count(*) filter (where entered_at is not null)::int as entered, min(entered_at) as first_at,
         count(*) filter (where phase = 'inside')::int as inside, count(*) filter (where phase = 'armed')::int as armed
       from runs where flow_id = f.id) r on true
     left join lateral (select count(*) filter (where state = 'queued')::int as queued,
         count(*) filter (where state in ('sent', 'delivered', 'bounced'))::int as sent, count(*) filter (where state = 'delivered')::int as delivered,
         count(*) filter (where state = 'bounced')::int as bounced, count(opened_at)::int as opened, count(clicked_at)::int as clicked
       from sends where flow_id = f.id) s on true
     left join lateral (select count(distinct (person_id, order_id))::int as orders, sum(minor) as minor from credits
       where flow_id = f.id and model = :model and currency = :currency) c on true
     where coalesce(v.document, f.draft) ->> 'as' = 'broadcast' and (cast(:key as text) is null or f.key = :key)
       and (cast(:key as text) is not null or (f.state = 'archived') = :isAway)
     order by coalesce(o.next_at, r.first_at, f.changed_at) desc, f.name`,
    { now: new Date(of.now), model: of.model, currency: of.currency, key: of.key ?? null, isAway: of.isAway ?? false },
  );
  return rows.map((row) => ({ ...row, draft: flowSchema.parse(row.draft), document: row.document && flowSchema.parse(row.document) }));
}

/** Why messages of a flow did not go out, the most frequent reason first. */
export const skippedBecause = (sql: Sql, flowId: number): Promise<{ reason: string; people: number }[]> =>
  query(
    sql,
    `select coalesce(reason, '') as reason, count(*)::int as people from sends where flow_id = :flowId and state in ('skipped', 'failed')
     group by 1 order by 2 desc, 1 limit 12`,
    { flowId },
  );

/** How many of a flow's people passed its messages by in the run itself, by what stood in the way, as the traces hold it. */
export const passedBecause = (sql: Sql, flowId: number): Promise<{ saw: unknown; people: number }[]> =>
  query(
    sql,
    `select t.saw, count(*)::int as people from runs r join traces t on t.person_id = r.person_id and t.run_id = r.id
     where r.flow_id = :flowId and t.kind = 'skipped' group by 1 order by 2 desc limit 40`,
    { flowId },
  );
