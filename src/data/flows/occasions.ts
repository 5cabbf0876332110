import { isTimed, nextOccasion, type FlowDocument } from '@/core/flows';
import type { Instant } from '@/core/time';
import { query, queryOne, type Sql } from '../db';

/** Sets when the triggers of a flow that go by the clock come round next after a moment; with null in place of the document, never. */
export async function setOccasions(sql: Sql, flowId: number, document: FlowDocument | null, now: Instant, zone: string): Promise<void> {
  await query(sql, 'delete from flow_occasions where flow_id = :flowId', { flowId });
  for (const trigger of document?.triggers ?? []) {
    const at = isTimed(trigger) ? nextOccasion(trigger, now, zone) : null;
    if (at !== null)
      await query(sql, 'insert into flow_occasions (flow_id, trigger, next_at) values (:flowId, :trigger, :at)', {
        flowId,
        trigger: trigger.id,
        at: new Date(at),
      });
  }
}

export interface OccasionRow {
  readonly flow_id: number;
  readonly trigger: string;
  readonly at_ms: string;
  readonly told_to: string;
  readonly key: string;
  readonly version: number;
}

/** The occasion that is due first, locked; null where none is, or all are in other hands. */
export async function claimOccasion(sql: Sql, now: Instant): Promise<OccasionRow | null> {
  return queryOne<OccasionRow>(
    sql,
    `select o.flow_id, o.trigger, (extract(epoch from o.next_at) * 1000)::bigint as at_ms, o.told_to, f.key, f.version
     from flow_occasions o join flows f on f.id = o.flow_id where o.next_at <= :now and f.version is not null
     order by o.next_at, o.flow_id, o.trigger limit 1 for update of o skip locked`,
    { now: new Date(now) },
  );
}

/** Sets when a trigger comes round again; null where it does not. */
export async function moveOccasion(
  sql: Sql,
  { flow_id: flowId, trigger }: Pick<OccasionRow, 'flow_id' | 'trigger'>,
  at: Instant | null,
): Promise<void> {
  await query(
    sql,
    at === null
      ? 'delete from flow_occasions where flow_id = :flowId and trigger = :trigger'
      : 'update flow_occasions set next_at = :at, told_to = 0 where flow_id = :flowId and trigger = :trigger',
    { flowId, trigger, ...(at !== null && { at: new Date(at) }) },
  );
}

/** Notes up to which person an occasion has been told. */
export async function noteTold(
  sql: Sql,
  { flow_id: flowId, trigger }: Pick<OccasionRow, 'flow_id' | 'trigger'>,
  personId: string,
): Promise<void> {
  await query(sql, 'update flow_occasions set told_to = :personId where flow_id = :flowId and trigger = :trigger', {
    flowId,
    trigger,
    personId,
  });
}
