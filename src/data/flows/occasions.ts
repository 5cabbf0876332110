import { isTimed, nextOccasion, type FlowDocument, type Trigger } from '@/core/flows';
import { isZone, type Instant } from '@/core/time';
import { query, queryOne, type Sql } from '../db';

type Timed = Extract<Trigger, { kind: 'schedule' | 'date' }>;

/** How many zones have an occasion of their own; people of rarer ones go by the store's clocks. */
const MOST_ZONES = 60;

/** The zones in which people live, the most common first, but for the store's. */
async function zonesOfPeople(sql: Sql, storeZone: string): Promise<string[]> {
  const rows = await query<{ zone: string }>(
    sql,
    `select attributes ->> 'zone' as zone from people where attributes ->> 'zone' is not null and erased_at is null
     group by 1 order by count(*) desc limit 500`,
  );
  return rows
    .map((row) => row.zone)
    .filter((zone) => zone !== storeZone && isZone(zone))
    .slice(0, MOST_ZONES);
}

/**
 * Sets when the triggers of a flow that go by the clock come round next after a moment; with null in place of the document, never.
 * An occasion that has come, and of which not everybody is told yet, goes on where it is as long as its trigger still has it.
 */
export async function setOccasions(sql: Sql, flowId: number, document: FlowDocument | null, now: Instant, zone: string): Promise<void> {
  const rows = await query<{ trigger: string; zone: string; at_ms: string }>(
    sql,
    `select trigger, zone, (extract(epoch from next_at) * 1000)::bigint as at_ms from flow_occasions where flow_id = :flowId for update`,
    { flowId },
  );
  for (const row of rows) {
    const trigger = document?.triggers.find(({ id }) => id === row.trigger);
    const at = Number(row.at_ms);
    if (at <= now && trigger && isTimed(trigger) && nextOccasion(trigger, at - 1, row.zone || zone) === at) continue;
    await query(sql, 'delete from flow_occasions where flow_id = :flowId and trigger = :trigger and zone = :zone', {
      flowId,
      trigger: row.trigger,
      zone: row.zone,
    });
  }
  for (const trigger of document?.triggers ?? []) if (isTimed(trigger)) await setTimes(sql, flowId, trigger, now, zone);
}

/** Lets pass what comes round while a flow is paused. An occasion that has come already waits, and goes on as the flow does. */
export const pauseOccasions = (sql: Sql, flowId: number, now: Instant): Promise<unknown> =>
  query(sql, 'delete from flow_occasions where flow_id = :flowId and next_at > :now', { flowId, now: new Date(now) });

/** Has an occasion that waited for the end of a pause let those pass that came round meanwhile. */
export const passOccasions = (sql: Sql, flowId: number, now: Instant): Promise<unknown> =>
  query(sql, 'update flow_occasions set passes_to = :now where flow_id = :flowId and next_at <= :now', { flowId, now: new Date(now) });

/** Has an occasion looked at again later: what it asks for is not known yet. */
export const postponeOccasion = (
  sql: Sql,
  { flow_id: flowId, trigger, zone }: Pick<OccasionRow, 'flow_id' | 'trigger' | 'zone'>,
  until: Instant,
): Promise<unknown> =>
  query(sql, 'update flow_occasions set try_at = :until where flow_id = :flowId and trigger = :trigger and zone = :zone', {
    flowId,
    trigger,
    zone,
    until: new Date(until),
  });

/** Sets when one trigger comes round next after a moment: by the store's clocks, or zone by zone. */
async function setTimes(sql: Sql, flowId: number, trigger: Timed, after: Instant, storeZone: string): Promise<void> {
  const zones = trigger.clocks === 'person' ? await zonesOfPeople(sql, storeZone) : [];
  for (const zone of ['', ...zones]) {
    const at = nextOccasion(trigger, after, zone || storeZone);
    if (at !== null)
      await query(
        sql,
        `insert into flow_occasions (flow_id, trigger, zone, zones, next_at) values (:flowId, :trigger, :zone, cast(:zones as text[]), :at)
         on conflict do nothing`,
        { flowId, trigger: trigger.id, zone, zones: zone ? [] : zones, at: new Date(at) },
      );
  }
}

export interface OccasionRow {
  readonly flow_id: number;
  readonly trigger: string;
  /** whose clocks it goes by; empty for everybody whose zone is not among `zones` */
  readonly zone: string;
  readonly zones: string[];
  readonly at_ms: string;
  readonly told_to: string;
  /** up to when it lets pass what comes round */
  readonly passes_to: Date | null;
  readonly key: string;
  readonly version: number;
}

/** The occasion that is due first, locked; null where none is, or all are in other hands. */
export async function claimOccasion(sql: Sql, now: Instant): Promise<OccasionRow | null> {
  return queryOne<OccasionRow>(
    sql,
    `select o.flow_id, o.trigger, o.zone, o.zones, (extract(epoch from o.next_at) * 1000)::bigint as at_ms, o.told_to, o.passes_to, f.key, f.version
     from flow_occasions o join flows f on f.id = o.flow_id
     where o.next_at <= :now and (o.try_at is null or o.try_at <= :now) and f.version is not null and f.state = 'on'
     order by o.next_at, o.flow_id, o.trigger, o.zone limit 1 for update of o skip locked`,
    { now: new Date(now) },
  );
}

/** Sets when an occasion comes round again; null where it does not. */
export async function moveOccasion(
  sql: Sql,
  { flow_id: flowId, trigger, zone }: Pick<OccasionRow, 'flow_id' | 'trigger' | 'zone'>,
  at: Instant | null,
): Promise<void> {
  await query(
    sql,
    at === null
      ? 'delete from flow_occasions where flow_id = :flowId and trigger = :trigger and zone = :zone'
      : 'update flow_occasions set next_at = :at, told_to = 0, try_at = null, passes_to = null where flow_id = :flowId and trigger = :trigger and zone = :zone',
    { flowId, trigger, zone, ...(at !== null && { at: new Date(at) }) },
  );
}

/** Notes up to which person an occasion has been told. */
export async function noteTold(
  sql: Sql,
  { flow_id: flowId, trigger, zone }: Pick<OccasionRow, 'flow_id' | 'trigger' | 'zone'>,
  personId: string,
): Promise<void> {
  await query(sql, 'update flow_occasions set told_to = :personId where flow_id = :flowId and trigger = :trigger and zone = :zone', {
    flowId,
    trigger,
    zone,
    personId,
  });
}
