import type { Did } from '@/core/api';
import type { Instant } from '@/core/time';
import { query, type Sql } from '../db';

/** What messages of a part of a flow's people came to. */
export interface PartRow {
  readonly part: string;
  readonly sent: number;
  readonly delivered: number;
  readonly bounced: number;
  readonly opened: number;
  readonly clicked: number;
  readonly left: number;
}

const FIGURES = `count(*)::int as sent, count(*) filter (where s.state = 'delivered')::int as delivered,
  count(*) filter (where s.state = 'bounced')::int as bounced, count(s.opened_at)::int as opened, count(s.clicked_at)::int as clicked,
  count(*) filter (where exists (select 1 from events e where e.person_id = s.person_id and e.type in ('message.unsubscribed', 'message.complained')
    and e.time >= s.sent_at and e.properties ->> 'sendId' = s.id::text))::int as left`;
const WENT_OUT = `s.flow_id = :flowId and s.state in ('sent', 'delivered', 'bounced') and (cast(:step as text) is null or s.step_id = :step)`;

export type SplitOf = 'domain' | 'device' | 'program' | 'segment' | 'message';

/** Messages of a flow, or of one step of it, by the domain they went to, the device on which they were opened first, or the segments people are in now. */
export function sendsBy(sql: Sql, flowId: number, step: string | null, by: SplitOf, most: number): Promise<PartRow[]> {
  const of: { readonly [split in SplitOf]: { readonly part: string; readonly from: string } } = {
    domain: { part: `split_part(p.email, '@', 2)`, from: 'join people p on p.id = s.person_id and p.email is not null' },
    device: { part: `coalesce(o.device, '')`, from: opened('device') },
    program: { part: `coalesce(o.program, '')`, from: opened('program') },
    segment: {
      part: `g.document ->> 'name'`,
      from: 'join segment_members m on m.person_id = s.person_id join segments g on g.id = m.segment_id and g.archived_at is null',
    },
    message: { part: 's.step_id', from: '' },
  };
  const { part, from } = of[by];
  return query<PartRow>(
    sql,
    `select ${part} as part, ${FIGURES} from sends s ${from} where ${WENT_OUT} group by 1 order by 2 desc, 1 limit :most`,
    { flowId, step, most },
  );
}

const opened = (what: 'device' | 'program'): string =>
  `join lateral (select e.properties ->> '${what}' as ${what} from events e where e.person_id = s.person_id and e.type = 'message.opened'
     and e.time >= s.sent_at and e.properties ->> 'sendId' = s.id::text order by e.time limit 1) o on true`;

/** Somebody to whom a message of a flow went or was to go, and what they did. */
export interface RecipientRow {
  readonly person_id: string;
  readonly email: string | null;
  readonly external_id: string | null;
  readonly first_name: string | null;
  readonly last_name: string | null;
  readonly step: string;
  readonly state: string;
  readonly reason: string | null;
  readonly sent_at: Date | null;
  readonly opened_at: Date | null;
  readonly clicked_at: Date | null;
  readonly ordered: boolean;
}

/** What somebody did with a message, or what became of it. */
const DID: { readonly [did in Did]: string } = {
  all: 'true',
  sent: `s.state in ('sent', 'delivered', 'bounced')`,
  opened: 's.opened_at is not null',
  'not-opened': `s.state in ('sent', 'delivered') and s.opened_at is null`,
  clicked: 's.clicked_at is not null',
  bounced: `s.state = 'bounced'`,
  skipped: `s.state in ('skipped', 'failed')`,
  ordered: `exists (select 1 from credits c where c.person_id = s.person_id and c.send_id = s.id)`,
};

/** Who got a flow's messages and what they did, in order of send; `after` is the last one of the page before. */
export const recipients = (
  sql: Sql,
  of: { flowId: number; step: string | null; did: Did; after: string | null; limit: number },
): Promise<(RecipientRow & { id: string })[]> =>
  query(
    sql,
    `select s.id, s.person_id, p.email, p.external_id, p.attributes ->> 'firstName' as first_name, p.attributes ->> 'lastName' as last_name,
       s.step_id as step, s.state, s.reason, s.sent_at, s.opened_at, s.clicked_at, ${DID.ordered} as ordered
     from sends s join people p on p.id = s.person_id
     where s.flow_id = :flowId and (cast(:step as text) is null or s.step_id = :step) and ${DID[of.did]}
       and (cast(:after as bigint) is null or s.id > :after) order by s.id limit :limit`,
    { flowId: of.flowId, step: of.step, after: of.after, limit: of.limit },
  );

/** How many messages of a flow went out and were opened and clicked, by hour from its first on. */
export const hoursOf = (sql: Sql, flowId: number): Promise<{ hour: Date; sent: number; opened: number; clicked: number }[]> =>
  query(
    sql,
    `select hour, sum(sent)::int as sent, sum(opened)::int as opened, sum(clicked)::int as clicked from (
       select date_trunc('hour', sent_at) as hour, 1 as sent, 0 as opened, 0 as clicked from sends where flow_id = :flowId and sent_at is not null
       union all select date_trunc('hour', opened_at), 0, 1, 0 from sends where flow_id = :flowId and opened_at is not null
       union all select date_trunc('hour', clicked_at), 0, 0, 1 from sends where flow_id = :flowId and clicked_at is not null) e
     group by 1 order by 1 limit 1000`,
    { flowId },
  );

/** Messages of flows that have gone out by day of the store's calendar. */
export const sentByDay = (
  sql: Sql,
  of: { from: Instant; to: Instant; zone: string },
): Promise<{ day: string; flow: string; is_broadcast: boolean; sent: number }[]> =>
  query(
    sql,
    `select to_char(s.sent_at at time zone :zone, 'YYYY-MM-DD') as day, f.key as flow, coalesce(f.draft ->> 'as' = 'broadcast', false) as is_broadcast,
       count(*)::int as sent
     from sends s join flows f on f.id = s.flow_id where s.sent_at >= :from and s.sent_at < :to group by 1, 2, 3 order by 1, 4 desc`,
    { zone: of.zone, from: new Date(of.from), to: new Date(of.to) },
  );

/** Waits of runs that end by day of the store's calendar, by the step at which they stand. */
export const waitsByDay = (
  sql: Sql,
  of: { from: Instant; to: Instant; zone: string },
): Promise<{ day: string; flow_id: number; version: number; step: string; runs: number }[]> =>
  query(
    sql,
    `select to_char(r.wait_until at time zone :zone, 'YYYY-MM-DD') as day, r.flow_id, r.version, r.step, count(*)::int as runs
     from runs r join flows f on f.id = r.flow_id and f.state = 'on'
     where r.phase = 'inside' and r.step is not null and r.wait_until >= :from and r.wait_until < :to group by 1, 2, 3, 4`,
    { zone: of.zone, from: new Date(of.from), to: new Date(of.to) },
  );
