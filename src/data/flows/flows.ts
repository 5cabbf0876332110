import type { Instant } from '@/core/time';
import { problemsOf, type FlowState } from '@/core/api';
import { flowSchema, type FlowDocument } from '@/core/flows';
import { databaseOf, query, queryOne, type Sql } from '../db';

export type { FlowState };

export interface FlowRow {
  id: number;
  key: string;
  name: string;
  state: FlowState;
  draft: FlowDocument;
  draft_revision: number;
  version: number | null;
  trigger_events: string[];
  created_at: Date;
  changed_at: Date;
}

export async function findFlow(sql: Sql, key: string): Promise<FlowRow | null> {
  return read(await queryOne<FlowRow>(sql, 'select * from flows where key = :key', { key }));
}

/** Documents on file are read through their schema, which brings older forms to the present one. */
const read = (row: FlowRow | null): FlowRow | null => row && { ...row, draft: flowSchema.parse(row.draft) };

/** Locks a flow so that two who publish or pause at once come one after the other. */
export async function lockFlow(sql: Sql, key: string): Promise<FlowRow | null> {
  return read(await queryOne<FlowRow>(sql, 'select * from flows where key = :key for update', { key }));
}

export async function createFlow(sql: Sql, key: string, draft: FlowDocument, now: Instant): Promise<void> {
  await query(
    sql,
    `insert into flows (key, name, state, draft, created_at, changed_at) values (:key, :name, 'draft', :draft, :now, :now)`,
    { key, name: draft.name, draft: JSON.stringify(draft), now: new Date(now) },
  );
}

/** Stores a draft when it still has the revision that the writer saw; answers with the new revision, or null. */
export async function saveDraft(sql: Sql, key: string, draft: FlowDocument, revision: number | null, now: Instant): Promise<number | null> {
  const row = await queryOne<{ draft_revision: number }>(
    sql,
    `update flows set draft = :draft, draft_revision = draft_revision + 1, changed_at = :now,
       name = case when version is null then :name else name end
     where key = :key and (cast(:revision as int) is null or draft_revision = cast(:revision as int)) returning draft_revision`,
    { key, draft: JSON.stringify(draft), name: draft.name, revision, now: new Date(now) },
  );
  return row?.draft_revision ?? null;
}

/** Makes the draft the version that new runs follow. Runs under way stay on theirs. */
export async function publishDraft(sql: Sql, flow: FlowRow, by: string, now: Instant): Promise<number> {
  const version = (flow.version ?? 0) + 1;
  await query(
    sql,
    `insert into flow_versions (flow_id, version, document, published_at, published_by) values (:id, :version, :document, :now, :by)`,
    { id: flow.id, version, document: JSON.stringify(flow.draft), now: new Date(now), by },
  );
  await query(
    sql,
    `update flows set version = :version, state = 'on', name = :name, trigger_events = cast(:events as text[]), changed_at = :now where id = :id`,
    {
      id: flow.id,
      version,
      name: flow.draft.name,
      events: [...new Set(flow.draft.triggers.map((trigger) => trigger.event))],
      now: new Date(now),
    },
  );
  return version;
}

/** Puts another document in place of the draft, as the program itself does it: whoever has the draft open is told that it has changed. */
export async function replaceDraft(sql: Sql, id: number, draft: FlowDocument, now: Instant): Promise<void> {
  await query(sql, 'update flows set draft = :draft, draft_revision = draft_revision + 1, changed_at = :now where id = :id', {
    id,
    draft: JSON.stringify(draft),
    now: new Date(now),
  });
}

export async function setFlowState(sql: Sql, id: number, state: FlowState, now: Instant): Promise<void> {
  await query(sql, 'update flows set state = :state, changed_at = :now where id = :id', { id, state, now: new Date(now) });
}

/** Wakes everyone who is at a step of a flow, or whose occasion had come before it, after a pause. What fell due meanwhile goes out, or is let pass. */
export async function wakeInside(sql: Sql, flowId: number, now: Instant, due: 'send' | 'drop' = 'send'): Promise<number> {
  const rows = await query(
    sql,
    `update runs set wake_at = least(coalesce(wake_at, :now), :now), drops_due = :drops
     where flow_id = :flowId and (phase = 'inside' and (wait_until is null or wait_until <= :now) or phase = 'armed' and wake_at is null)
     returning id`,
    { flowId, now: new Date(now), drops: due === 'drop' },
  );
  return rows.length;
}

/** Has everybody who is inside some flows looked at again: what their stay rules look up is not as it was. */
export async function lookAgain(sql: Sql, keys: readonly string[], now: Instant): Promise<void> {
  if (keys.length)
    await query(
      sql,
      `update runs r set wake_at = least(coalesce(r.wake_at, :now), :now) from flows f
       where f.id = r.flow_id and f.key = any(cast(:keys as text[])) and r.phase = 'inside'`,
      { keys, now: new Date(now) },
    );
}

/** When and by whom each version of a flow was published, the newest first. */
export async function listVersions(sql: Sql, flowId: number): Promise<{ version: number; at: Date; by: string }[]> {
  return query(
    sql,
    'select version, published_at as at, published_by as by from flow_versions where flow_id = :flowId order by version desc',
    {
      flowId,
    },
  );
}

export interface Version {
  readonly version: number;
  readonly document: FlowDocument;
}

// a published version never changes, so it is kept; the object's identity lets the plan be kept too
const versions = new Map<string, FlowDocument>();

/** Reads a published version of a flow, from memory when it has been read before. */
export async function readVersion(sql: Sql, flowId: number, version: number): Promise<FlowDocument> {
  const id = `${databaseOf(sql)}/${flowId}/${version}`;
  let document = versions.get(id);
  if (!document) {
    const row = await queryOne<{ document: FlowDocument }>(
      sql,
      'select document from flow_versions where flow_id = :flowId and version = :version',
      { flowId, version },
    );
    if (!row) throw new Error(`flow ${flowId} has no version ${version}`);
    const read = flowSchema.safeParse(row.document);
    if (!read.success) {
      const [first] = problemsOf(read.error);
      throw new Error(`version ${version} of flow ${flowId} cannot be read: ${first!.field} ${first!.wrong}, right is ${first!.right}`);
    }
    document = read.data;
    if (versions.size > 500) versions.clear();
    versions.set(id, document);
  }
  return document;
}

/** The state and version of flows as they are now, by id. */
export async function flowsNow(
  sql: Sql,
  flowIds: readonly number[],
): Promise<Map<number, { key: string; state: FlowState; version: number | null }>> {
  const rows = await query<{ id: number; key: string; state: FlowState; version: number | null }>(
    sql,
    'select id, key, state, version from flows where id = any(cast(:flowIds as int[]))',
    { flowIds },
  );
  return new Map(rows.map((row) => [row.id, row]));
}

export interface FlowListRow {
  key: string;
  name: string;
  state: FlowState;
  version: number | null;
  draft: FlowDocument;
  document: FlowDocument | null;
  inside: number;
  sent_24h: number;
  entered: number;
  credited_minor: string;
  daily: number[];
  /** when somebody last entered, and when it was last published */
  last_entered: Date | null;
  published_at: Date | null;
  broken: number;
}

/** Every flow with its figures: inside now, sent in 24 hours, entered and credited since `from`, and credit by day. */
export async function listFlows(
  sql: Sql,
  now: Instant,
  from: Instant,
  currency: string,
  zone: string,
  model: string,
  isAway = false,
): Promise<FlowListRow[]> {
  const rows = await query<FlowListRow>(
    sql,
    `select f.key, f.name, f.state, f.version, f.draft, v.document,
       (select count(*)::int from runs r where r.flow_id = f.id and r.phase = 'inside') as inside,
       (select count(*)::int from sends s where s.flow_id = f.id and s.queued_at > cast(:now as timestamptz) - interval '24 hours'
         and s.state in ('sent', 'delivered', 'bounced')) as sent_24h,
       (select count(*)::int from runs r where r.flow_id = f.id and r.entered_at >= :from and r.entered_at <= :now) as entered,
       coalesce((select sum(c.minor) from credits c where c.flow_id = f.id and c.model = :model and c.currency = :currency and c.placed_at >= :from
         and c.placed_at <= :now), 0) as credited_minor,
       (select max(r.entered_at) from runs r where r.flow_id = f.id) as last_entered, v.published_at,
       (select count(*)::int from runs r where r.flow_id = f.id and r.broken is not null) as broken,
       (select array_agg(coalesce(d.minor, 0)::float8 order by day) from
          generate_series(date_trunc('day', cast(:from as timestamptz) at time zone :zone), date_trunc('day',
            cast(:now as timestamptz) at time zone :zone), interval '1 day') as day
          left join (select date_trunc('day', c.placed_at at time zone :zone) as of, sum(c.minor) as minor from credits c
            where c.flow_id = f.id and c.model = :model and c.currency = :currency and c.placed_at >= :from and c.placed_at <= :now
              group by 1) d on d.of = day) as daily
     from flows f left join flow_versions v on v.flow_id = f.id and v.version = f.version
     where (f.state = 'archived') = :isAway and coalesce(v.document, f.draft) ->> 'as' is distinct from 'broadcast'
     order by credited_minor desc, f.name`,
    { isAway, now: new Date(now), from: new Date(from), currency, zone, model },
  );
  return rows.map((row) => ({ ...row, draft: flowSchema.parse(row.draft), document: row.document && flowSchema.parse(row.document) }));
}

/** What each flow does now: its published document, or its draft when it has never been on. */
export async function documentsNow(
  sql: Sql,
): Promise<{ id: number; key: string; name: string; state: FlowRow['state']; document: FlowDocument }[]> {
  const rows = await query<{ id: number; key: string; name: string; state: FlowRow['state']; document: unknown }>(
    sql,
    `select f.id, f.key, f.name, f.state, coalesce(v.document, f.draft) as document from flows f left join flow_versions v on v.flow_id = f.id
      and v.version = f.version where f.state <> 'archived' order by f.name`,
  );
  return rows.map((row) => ({ ...row, document: flowSchema.parse(row.document) }));
}
