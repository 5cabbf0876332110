import { createHash } from 'node:crypto';
import { RECORDED, type EventAsk } from '@/core/flows';
import { addressOf, inOrder, type Channel, type FactEvent, type Facts, type Reach, type Value } from '@/core/rules';
import { query, queryPrepared, rowsOf, type Sql } from '../db';
import { whereSql } from './rules';

const ASKS = rowsOf({
  person_id: 'bigint',
  type: 'text',
  key_name: 'text',
  key_value: 'text',
  since: 'moment',
  until: 'moment',
  most: 'int',
  names: 'text[]',
});

interface FactRow {
  id: string;
  attributes: Record<string, Value>;
  paused_ms: string | null;
  consents: { [channel in Channel]?: 'given' | 'withdrawn' } | null;
  suppressed: { [channel in Channel]?: string } | null;
  lists: string[];
  tags: string[];
  segments: string[];
  declined: string[];
}

/** Selects, for `people p`, what stands between us and each of their addresses. */
export const REACH_COLUMNS = `(extract(epoch from p.paused_until) * 1000)::bigint as paused_ms,
  (select jsonb_object_agg(c.channel, c.state) from consents c where c.person_id = p.id) as consents,
  (select jsonb_object_agg(s.channel, s.reason) from suppressions s where (s.channel, s.address) in
    (('email', p.email), ('sms', p.attributes->>'phone'), ('push', p.attributes->>'pushToken'))) as suppressed`;

interface EventRow {
  person_id: string;
  id: string;
  type: string;
  time_ms: string;
  properties: Record<string, Value>;
}

/** What is to be loaded of a person beside what everybody's messages need. */
export interface FactsAsked {
  readonly events: readonly EventAsk[];
}

const NOTHING: FactsAsked = { events: [] };

/** What is known of hundreds of people at once; of their events just those that are asked for. */
export async function loadFacts(
  sql: Sql,
  asked: ReadonlyMap<string, FactsAsked>,
  parts: { lists?: boolean; tags?: boolean; segments?: boolean } = { lists: true, tags: true, segments: true },
): Promise<Map<string, Facts>> {
  const facts = new Map<string, Facts>();
  if (!asked.size) return facts;
  const people = await queryPrepared<FactRow>(
    sql,
    `facts${parts.lists ? '_lists' : ''}${parts.tags ? '_tags' : ''}${parts.segments ? '_segments' : ''}`,
    `select p.id, p.attributes, ${REACH_COLUMNS},
       ${parts.lists ? 'array(select l.key from list_members m join lists l on l.id = m.list_id where m.person_id = p.id)' : `cast('{}' as text[])`} as lists,
       ${parts.tags ? 'array(select t.tag from person_tags t where t.person_id = p.id)' : `cast('{}' as text[])`} as tags,
       ${parts.segments ? 'array(select s.key from segment_members m join segments s on s.id = m.segment_id where m.person_id = p.id)' : `cast('{}' as text[])`} as segments,
       array(select d.topic from declined_topics d where d.person_id = p.id) as declined
     from people p where p.id = any(cast(:personIds as bigint[]))`,
    { personIds: [...asked.keys()] },
  );
  const events = await loadAsked(sql, asked);
  for (const person of people) {
    const { lists, tags, segments, declined, attributes } = person;
    facts.set(person.id, {
      personId: person.id,
      attributes,
      reach: reachOf(person),
      events: events.get(person.id) ?? [],
      lists,
      tags,
      segments,
      declined,
    });
  }
  return facts;
}

/** The same of one person, with all their events of some types. */
export async function loadAllFacts(sql: Sql, personId: string, eventTypes: readonly string[]): Promise<Facts | null> {
  const known = (await loadFacts(sql, new Map([[personId, NOTHING]]))).get(personId);
  if (!known) return null;
  return { ...known, events: (await loadEvents(sql, [personId], eventTypes)).get(personId) ?? [] };
}

/** Of the properties of an event those that are asked for by name. */
const NAMED = `case when cardinality(a.names) = 0 then cast('{}' as jsonb)
  else (select coalesce(jsonb_object_agg(key, value), '{}') from jsonb_each(e.properties) where key = any(a.names)) end as properties`;

/** A short name for a statement, the same for the same text. */
const digestOf = (text: string): string => createHash('sha256').update(text).digest('hex').slice(0, 20);

/** The events that are asked for of each person, ascending. What is alike but for the person and the moment is one statement. */
async function loadAsked(sql: Sql, asked: ReadonlyMap<string, FactsAsked>): Promise<Map<string, FactEvent[]>> {
  // tests of properties are compiled into the statement, so each set of them is a statement of its own
  const statements = new Map<
    string,
    {
      where: EventAsk['where'];
      within: EventAsk['within'];
      order: EventAsk['order'];
      all: boolean;
      rows: Map<string, Parameters<typeof ASKS.of>[0][number]>;
    }
  >();
  for (const [personId, { events }] of asked) {
    for (const { type, key, where, within, from, to, order, most, names } of events) {
      const id = `${order} ${names === null} ${where.length || within ? JSON.stringify([where, within]) : ''}`;
      let statement = statements.get(id);
      if (!statement) statements.set(id, (statement = { where, within, order, all: names === null, rows: new Map() }));
      const row = {
        person_id: personId,
        type,
        key_name: key?.name ?? null,
        key_value: key?.value ?? null,
        since: from,
        until: to,
        most,
        names: names ?? [],
      };
      statement.rows.set(JSON.stringify(row), row);
    }
  }
  const found = new Map<string, Map<string, FactEvent>>();
  for (const { where, within, order, all, rows } of statements.values()) {
    const { condition, bindings } = whereSql('e', where, within);
    const way = order === 'newest' ? 'desc' : 'asc';
    const text = `select a.person_id, e.id, a.type, (extract(epoch from e.time) * 1000)::bigint as time_ms, e.properties
       from ${ASKS.sql} as a cross join lateral (
         select e.id, e.time, ${all ? 'e.properties' : NAMED}
         from events e
         where e.person_id = a.person_id and e.type = a.type and e.time >= coalesce(a.since, '-infinity') and e.time <= coalesce(a.until, 'infinity')
           and (a.key_name is null or case when jsonb_typeof(e.properties -> a.key_name) in ('string', 'number') and e.properties ->> a.key_name <> ''
             then e.properties ->> a.key_name is not distinct from a.key_value else a.key_value is null end)
           and ${condition}
         order by e.time ${way}, e.id ${way} limit a.most
       ) e`;
    // planned once a connection: with a table for each month that takes longer than a few people's events
    const loaded = await queryPrepared<EventRow>(sql, `asked_${digestOf(text)}`, text, { ...bindings, rows: ASKS.of([...rows.values()]) });
    for (const row of loaded) {
      let own = found.get(row.person_id);
      if (!own) found.set(row.person_id, (own = new Map()));
      const known = own.get(row.id);
      // one event may be asked for by several, each for other properties of it
      own.set(row.id, {
        id: row.id,
        type: row.type,
        time: Number(row.time_ms),
        properties: known ? { ...known.properties, ...row.properties } : row.properties,
      });
    }
  }
  return new Map([...found].map(([personId, events]) => [personId, [...events.values()].sort(inOrder)]));
}

/** What stands between us and each address of a person, from the columns of {@link REACH_COLUMNS}. */
export function reachOf(row: Pick<FactRow, 'attributes' | 'paused_ms' | 'consents' | 'suppressed'>): Facts['reach'] {
  const of = (channel: Channel): Reach => ({
    hasAddress: addressOf(channel, row.attributes) !== null,
    state: row.consents?.[channel] ?? 'unknown',
    suppressed: row.suppressed?.[channel] ?? null,
    pausedUntil: row.paused_ms === null ? null : Number(row.paused_ms),
  });
  return { email: of('email'), sms: of('sms'), push: of('push') };
}

/** The events of some types of several people, ascending by time and id. */
export async function loadEvents(
  sql: Sql,
  personIds: readonly string[],
  eventTypes: readonly string[],
  { isTold = false }: { /** without those that flows have recorded */ isTold?: boolean } = {},
): Promise<Map<string, FactEvent[]>> {
  const rows = await query<EventRow>(
    sql,
    `select person_id, id, type, (extract(epoch from time) * 1000)::bigint as time_ms, properties from events
     where person_id = any(cast(:personIds as bigint[])) and type = any(cast(:eventTypes as text[]))
       ${isTold ? `and not (source = 'viatic' and starts_with(event_id, '${RECORDED}'))` : ''}
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
