import type { Barrier, Channel, Rule, World } from '@/core/rules';
import type { Instant } from '@/core/time';
import { query, type Sql } from '../db';
import { ruleToSql } from '../rules';

export interface ReachRow {
  /** why somebody does not get it; null for those who can */
  readonly why: Barrier['kind'] | 'declined' | null;
  readonly people: number;
  /** of these, how many have got marketing of any flow since a moment */
  readonly lately: number;
}

const ADDRESS: { readonly [channel in Channel]: string } = {
  email: 'p.email',
  sms: `p.attributes ->> 'phone'`,
  push: `p.attributes ->> 'pushToken'`,
};

/**
 * Of whom a rule holds, by what stands between them and a message of a channel, in the order in which the gate asks; and how many of
 * them have had marketing since a moment. Service messages need an address alone.
 */
export async function reachByWhy(
  sql: Sql,
  who: Rule | null,
  of: {
    readonly now: Instant;
    readonly zone: string;
    readonly world?: World;
    readonly channel: Channel;
    readonly isService: boolean;
    readonly topic: string | null;
    readonly since: Instant | null;
  },
): Promise<ReachRow[]> {
  const { condition, bindings } = who
    ? ruleToSql(who, of.now, of.zone, { ...(of.world && { world: of.world }) })
    : { condition: 'true', bindings: {} };
  const address = ADDRESS[of.channel];
  const barriers = of.isService
    ? ''
    : `when s.reason is not null then 'suppressed' when c.state = 'withdrawn' then 'withdrawn' when c.state is null or c.state = 'unknown' then 'not-asked'
       when p.paused_until > :reachNow then 'paused'
       when cast(:reachTopic as text) is not null
         and exists (select 1 from declined_topics d where d.person_id = p.id and d.topic = :reachTopic) then 'declined'`;
  return query<ReachRow>(
    sql,
    `select why, count(*)::int as people, count(*) filter (where lately)::int as lately from (
       select case when ${address} is null then 'no-address' ${barriers} end as why,
         cast(:reachSince as timestamptz) is not null and exists (select 1 from sends m where m.person_id = p.id and m.kind = 'marketing'
           and m.sent_at > :reachSince and m.sent_at <= :reachNow) as lately
       from people p left join consents c on c.person_id = p.id and c.channel = :reachChannel
         left join suppressions s on s.channel = :reachChannel and s.address = ${address}
       where p.erased_at is null and ${condition}
     ) looked group by 1 order by 2 desc`,
    {
      ...bindings,
      reachNow: new Date(of.now),
      reachTopic: of.topic,
      reachChannel: of.channel,
      reachSince: of.since === null ? null : new Date(of.since),
    },
  );
}

/** Of how many people both rules hold who can be written to by email. */
export async function overlapOf(
  sql: Sql,
  a: Rule | null,
  b: Rule | null,
  { now, zone, world }: { readonly now: Instant; readonly zone: string; readonly world?: World },
): Promise<number> {
  const both: Rule = { all: [...(a ? [a] : []), ...(b ? [b] : []), { test: 'reach', channel: 'email', state: 'given', is: true }] };
  const { condition, bindings } = ruleToSql(both, now, zone, { ...(world && { world }) });
  const [row] = await query<{ people: number }>(
    sql,
    `select count(*)::int as people from people p where p.erased_at is null and ${condition}`,
    bindings,
  );
  return row!.people;
}
