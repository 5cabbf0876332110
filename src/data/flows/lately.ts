import type { Instant } from '@/core/time';
import { query, queryOne, type Sql } from '../db';

/** Open forms that were made after a flow was last published, by name; none where it never was. */
export async function formsSince(sql: Sql, flowId: number): Promise<{ key: string; name: string }[]> {
  return query(
    sql,
    `select key, name from forms where archived_at is null and is_open and created_at >
      (select max(published_at) from flow_versions where flow_id = :flowId) order by lower(name) limit 20`,
    { flowId },
  );
}

/** Flows that are on beside one, with how many people have gone into both since a moment. */
export async function flowsBeside(
  sql: Sql,
  flowId: number,
  from: Instant,
): Promise<{ id: number; key: string; name: string; version: number; events: string[]; both: number }[]> {
  return query(
    sql,
    `select f.id, f.key, f.name, f.version, f.trigger_events as events,
       (select count(*)::int from (
          select person_id from runs where flow_id = f.id and entered_at >= :from
          intersect select person_id from runs where flow_id = :flowId and entered_at >= :from) as both_of) as both
     from flows f where f.state = 'on' and f.version is not null and f.id <> :flowId order by f.key`,
    { flowId, from: new Date(from) },
  );
}

/** How many of so many events are looked at for whom a flow could reach. */
const SAMPLE = 20_000;

/** Of people who did something since a moment (of the first 20,000 such events), how many can be sent marketing by email. */
export async function reachOfEvents(sql: Sql, types: readonly string[], from: Instant): Promise<{ people: number; canBeEmailed: number }> {
  return (await queryOne<{ people: number; canBeEmailed: number }>(
    sql,
    `select count(*)::int as people, count(*) filter (where c.state = 'given' and p.email is not null
         and not exists (select 1 from suppressions s where s.channel = 'email' and s.address = p.email))::int as "canBeEmailed"
     from (select distinct person_id from (
         select person_id from events where type = any(cast(:types as text[])) and time >= :from limit ${SAMPLE}) as sample) as e
     join people p on p.id = e.person_id left join consents c on c.person_id = p.id and c.channel = 'email'`,
    { types, from: new Date(from) },
  ))!;
}

/** How many messages of a flow came to their moment since another, and how many of them limits kept from going out. */
export async function limitedLately(sql: Sql, flowId: number, from: Instant): Promise<{ messages: number; swallowed: number }> {
  return (await queryOne<{ messages: number; swallowed: number }>(
    sql,
    `with swallowed as (
       select count(*)::int as n from traces t join runs r on r.person_id = t.person_id and r.id = t.run_id
       where r.flow_id = :flowId and r.entered_at >= :from and t.kind = 'skipped' and jsonb_exists(t.saw, 'limited'))
     select (select n from swallowed) as swallowed,
       (select n from swallowed) + (select count(*)::int from sends where flow_id = :flowId and queued_at >= :from) as messages`,
    { flowId, from: new Date(from) },
  ))!;
}
