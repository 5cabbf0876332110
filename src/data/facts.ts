import type { Channel, FactEvent, Facts, Reach, Value } from '@/core/rules';
import { query, type Sql } from './db';

interface FactRow {
  id: string;
  attributes: Record<string, Value>;
  paused_ms: string | null;
  consents: { [channel in Channel]?: 'given' | 'withdrawn' } | null;
  suppressed: { [channel in Channel]?: string } | null;
  lists: string[];
  tags: string[];
  declined: string[];
}

/** The address of a person on each channel. */
export const ADDRESS: { readonly [channel in Channel]: (attributes: { readonly [name: string]: Value }) => string | null } = {
  email: ({ email }) => (typeof email === 'string' && email ? email : null),
  sms: ({ phone }) => (typeof phone === 'string' && phone ? phone : null),
  push: ({ pushToken }) => (typeof pushToken === 'string' && pushToken ? pushToken : null),
};

/** The same in SQL, for `people p`. */
export const ADDRESS_SQL: { readonly [channel in Channel]: string } = { email: `nullif(p.email, '')`, sms: `nullif(p.attributes->>'phone', '')`, push: `nullif(p.attributes->>'pushToken', '')` };

/** The address on the channel that an expression gives, for `people p`. */
export const addressSql = (channel: string): string => `case ${channel} when 'email' then ${ADDRESS_SQL.email} when 'sms' then ${ADDRESS_SQL.sms} else ${ADDRESS_SQL.push} end`;

/** Selects, for `people p`, what stands between us and each of their addresses. */
export const REACH_COLUMNS = `(extract(epoch from p.paused_until) * 1000)::bigint as paused_ms,
  (select jsonb_object_agg(c.channel, c.state) from consents c where c.person_id = p.id) as consents,
  (select jsonb_object_agg(s.channel, s.reason) from suppressions s where (s.channel, s.address) in (('email', p.email), ('sms', p.attributes->>'phone'), ('push', p.attributes->>'pushToken'))) as suppressed`;

interface EventRow {
  person_id: string;
  id: string;
  type: string;
  time_ms: string;
  properties: Record<string, Value>;
}

/** Loads what is known of hundreds of people at once: two statements, and of the events just the types asked for. */
export async function loadFacts(sql: Sql, personIds: readonly string[], eventTypes: readonly string[]): Promise<Map<string, Facts>> {
  const facts = new Map<string, Facts>();
  if (!personIds.length) return facts;
  const people = await query<FactRow>(
    sql,
    `select p.id, p.attributes, ${REACH_COLUMNS},
       array(select l.key from list_members m join lists l on l.id = m.list_id where m.person_id = p.id) as lists,
       array(select t.tag from person_tags t where t.person_id = p.id) as tags,
       array(select d.topic from declined_topics d where d.person_id = p.id) as declined
     from people p where p.id = any(cast(:personIds as bigint[]))`,
    { personIds },
  );
  const events = eventTypes.length ? await loadEvents(sql, personIds, eventTypes) : new Map<string, FactEvent[]>();
  for (const person of people) {
    const { lists, tags, declined, attributes } = person;
    facts.set(person.id, { personId: person.id, attributes, reach: reachOf(person), events: events.get(person.id) ?? [], lists, tags, declined });
  }
  return facts;
}

/** What stands between us and each address of a person, from the columns of {@link REACH_COLUMNS}. */
export function reachOf(row: Pick<FactRow, 'attributes' | 'paused_ms' | 'consents' | 'suppressed'>): Facts['reach'] {
  const of = (channel: Channel): Reach => ({
    hasAddress: ADDRESS[channel](row.attributes) !== null, state: row.consents?.[channel] ?? 'unknown', suppressed: row.suppressed?.[channel] ?? null,
    pausedUntil: row.paused_ms === null ? null : Number(row.paused_ms),
  });
  return { email: of('email'), sms: of('sms'), push: of('push') };
}

/** The events of some types of several people, ascending by time and id. */
export async function loadEvents(sql: Sql, personIds: readonly string[], eventTypes: readonly string[]): Promise<Map<string, FactEvent[]>> {
  const rows = await query<EventRow>(
    sql,
    `select person_id, id, type, (extract(epoch from time) * 1000)::bigint as time_ms, properties from events
     where person_id = any(cast(:personIds as bigint[])) and type = any(cast(:eventTypes as text[]))
     order by person_id, time, id`,
    { personIds, eventTypes },
  );
  const events = new Map<string, FactEvent[]>();
  for (const row of rows) {
    let own = events.get(row.person_id);
    if (!own) events.set(row.person_id, (own = []));
    own.push({ id: row.id, type: row.type, time: Number(row.time_ms), properties: row.properties });
  }
  return events;
}
