import { createHash } from 'node:crypto';
import { FLOW_DUE, RECORDED, type EventAsk } from '@/core/flows';
import { MESSAGE_SENT } from '@/core/limits';
import { placeKey } from '@/core/places';
import {
  addressOf,
  inOrder,
  type AttributeChange,
  type Channel,
  type FactEvent,
  type Facts,
  type Reach,
  type Said,
  type Value,
} from '@/core/rules';
import type { Instant } from '@/core/time';
import { query, queryPrepared, rowsOf, type Sql } from '../db';
import { changesSince } from './changes';
import { whereSql } from './looking';

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

type Since = { [key: string]: number };

interface FactRow {
  id: string;
  attributes: Record<string, Value>;
  paused_ms: string | null;
  consents: { [channel in Channel]?: { state: 'given' | 'withdrawn'; at: number; how: string | null; place: string | null } } | null;
  suppressed: { [channel in Channel]?: string } | null;
  /** by key, since when in milliseconds */
  lists: Since | null;
  tags: Since | null;
  segments: Since | null;
  declined: string[];
}

/** Selects, for `people p`, what stands between us and each of their addresses. */
export const REACH_COLUMNS = `(extract(epoch from p.paused_until) * 1000)::bigint as paused_ms,
  (select jsonb_object_agg(c.channel, consent_fact(c.state, c.at, c.how, c.place)) from consents c where c.person_id = p.id) as consents,
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

const since = (key: string, moment: string, from: string) =>
  `(select jsonb_object_agg(${key}, (extract(epoch from ${moment}) * 1000)::bigint) from ${from} where m.person_id = p.id)`;
const IN_LISTS = since('l.key', 'm.at', 'list_members m join lists l on l.id = m.list_id');
const IN_SEGMENTS = since('s.key', 'm.since', 'segment_members m join segments s on s.id = m.segment_id');
const TAGGED = since('m.tag', 'm.at', 'person_tags m');

/** What is to be loaded of everybody beside attributes and consent. */
export interface FactParts {
  readonly lists?: boolean;
  readonly tags?: boolean;
  readonly segments?: boolean;
  /** of which attributes the changes are loaded, by their outermost names */
  readonly changes?: readonly string[];
  /** whether their postcodes are looked up */
  readonly places?: boolean;
  /** whether what is on its way to them stands among what they have been sent */
  readonly onTheirWay?: boolean;
}

const NOTHING: FactsAsked = { events: [] };

/** What is known of hundreds of people at once; of their events just those that are asked for. */
export async function loadFacts(
  sql: Sql,
  asked: ReadonlyMap<string, FactsAsked>,
  parts: FactParts = { lists: true, tags: true, segments: true },
): Promise<Map<string, Facts>> {
  const facts = new Map<string, Facts>();
  if (!asked.size) return facts;
  const people = await queryPrepared<FactRow>(
    sql,
    `facts${parts.lists ? '_lists' : ''}${parts.tags ? '_tags' : ''}${parts.segments ? '_segments' : ''}`,
    `select p.id, p.attributes, ${REACH_COLUMNS},
       ${parts.lists ? IN_LISTS : 'null'} as lists, ${parts.tags ? TAGGED : 'null'} as tags, ${parts.segments ? IN_SEGMENTS : 'null'} as segments,
       array(select d.topic from declined_topics d where d.person_id = p.id) as declined
     from people p where p.id = any(cast(:personIds as bigint[]))`,
    { personIds: [...asked.keys()] },
  );
  const events = await loadAsked(sql, asked);
  const changes = parts.changes?.length ? await changesSince(sql, [...asked.keys()], 0, parts.changes) : NO_CHANGES;
  const onTheirWay = parts.onTheirWay ? await sendsOnTheirWay(sql, [...asked.keys()]) : NOTHING_SENT;
  const places = parts.places ? await placesOf(sql, people) : NO_PLACES;
  for (const person of people) {
    const { lists, tags, segments, declined, attributes } = person;
    facts.set(person.id, {
      personId: person.id,
      attributes,
      reach: reachOf(person),
      events: withSent(events.get(person.id) ?? [], onTheirWay.get(person.id)),
      lists: Object.keys(lists ?? {}),
      tags: Object.keys(tags ?? {}),
      segments: Object.keys(segments ?? {}),
      since: sinceOf({ list: lists, tag: tags, segment: segments }),
      changes: changes.get(person.id) ?? [],
      places,
      declined,
    });
  }
  return facts;
}

const NOTHING_SENT: ReadonlyMap<string, FactEvent[]> = new Map();
const withSent = (events: readonly FactEvent[], sent: readonly FactEvent[] | undefined): readonly FactEvent[] =>
  sent ? [...events, ...sent].sort(inOrder) : events;

/** What has been let go to people and is not with the mail server yet, as if it were sent. */
async function sendsOnTheirWay(sql: Sql, personIds: readonly string[]): Promise<Map<string, FactEvent[]>> {
  const rows = await queryPrepared<{ person_id: string; id: string; ms: string; channel: string; kind: string }>(
    sql,
    'on_their_way',
    `select person_id, id, (extract(epoch from queued_at) * 1000)::bigint as ms, channel, kind from sends
     where person_id = any(cast(:personIds as bigint[])) and state = 'queued'`,
    { personIds },
  );
  const found = new Map<string, FactEvent[]>();
  for (const { person_id: personId, id, ms, channel, kind } of rows) {
    const event = { id, type: MESSAGE_SENT, time: Number(ms), properties: { channel, kind } };
    found.set(personId, [...(found.get(personId) ?? []), event]);
  }
  return found;
}

const NO_CHANGES: ReadonlyMap<string, AttributeChange[]> = new Map();
const NO_PLACES: Facts['places'] = {};
const NO_SINCE: Facts['since'] = {};

function sinceOf(members: { readonly [kind: string]: Since | null }): Facts['since'] {
  const entries = Object.entries(members).flatMap(([kind, own]) => Object.entries(own ?? {}).map(([key, at]) => [`${kind}/${key}`, at]));
  return entries.length ? Object.fromEntries(entries) : NO_SINCE;
}

/** Where the postcodes of people lie, as far as the table of places knows them. */
export async function placesOf(
  sql: Sql,
  people: readonly { readonly attributes: { readonly [name: string]: Value } }[],
): Promise<Facts['places']> {
  const asked = new Map<string, { country: string; postcode: string }>();
  for (const { attributes } of people) {
    const { country, postcode } = attributes;
    if (typeof country !== 'string' || typeof postcode !== 'string') continue;
    const key = placeKey(country, postcode);
    asked.set(key, { country, postcode: key.slice(country.length + 1) });
  }
  if (!asked.size) return NO_PLACES;
  const rows = await query<{ country: string; postcode: string; latitude: number; longitude: number }>(
    sql,
    `select l.country, l.postcode, l.latitude, l.longitude from ${PLACES.sql} as a join places l on l.country = a.country and l.postcode = a.postcode`,
    { rows: PLACES.of([...asked.values()]) },
  );
  return Object.fromEntries(rows.map(({ country, postcode, ...point }) => [placeKey(country, postcode), point]));
}
const PLACES = rowsOf({ country: 'text', postcode: 'text' });

/** The same of one person, with all their events of some types. */
export async function loadAllFacts(sql: Sql, personId: string, eventTypes: readonly string[]): Promise<Facts | null> {
  const parts = { lists: true, tags: true, segments: true, places: true };
  const known = (await loadFacts(sql, new Map([[personId, NOTHING]]), parts)).get(personId);
  if (!known) return null;
  const changes = (await changesSince(sql, [personId], 0, 'all')).get(personId) ?? [];
  return { ...known, changes, events: (await loadEvents(sql, [personId], eventTypes)).get(personId) ?? [] };
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

type Consent = NonNullable<NonNullable<FactRow['consents']>[Channel]>;
const saidOf = (consent: Consent | undefined): Said | null => (consent ? { at: consent.at, how: consent.how, place: consent.place } : null);

/** What stands between us and each address of a person, from the columns of {@link REACH_COLUMNS}. */
export function reachOf(row: Pick<FactRow, 'attributes' | 'paused_ms' | 'consents' | 'suppressed'>): Facts['reach'] {
  const of = (channel: Channel): Reach => ({
    hasAddress: addressOf(channel, row.attributes) !== null,
    state: row.consents?.[channel]?.state ?? 'unknown',
    said: saidOf(row.consents?.[channel]),
    suppressed: row.suppressed?.[channel] ?? null,
    pausedUntil: row.paused_ms === null ? null : Number(row.paused_ms),
  });
  return { email: of('email'), sms: of('sms'), push: of('push') };
}

/** By which flow an event was recorded, or what it tells was sent; nothing, where none did. */
const RECORDED_BY = `(case when type = '${MESSAGE_SENT}' and source = 'viatic' then coalesce(properties ->> 'flow', '')
  when type = '${FLOW_DUE}' and source = 'viatic' then coalesce(properties ->> 'to', '')
  when source = 'viatic' and starts_with(event_id, '${RECORDED}') then coalesce(properties ->> 'byFlow', '') else '' end)`;

/** Flows whose recorded events are left out, on from a moment. */
interface LeftOut {
  readonly without?: readonly string[];
  readonly since?: Instant;
}

/** The events of some types of several people, ascending by time and id. */
export async function loadEvents(
  sql: Sql,
  personIds: readonly string[],
  eventTypes: readonly string[],
  { without = [], since = 0 }: LeftOut = {},
): Promise<Map<string, FactEvent[]>> {
  const rows = await query<EventRow>(
    sql,
    `select person_id, id, type, (extract(epoch from time) * 1000)::bigint as time_ms, properties from events
     where person_id = any(cast(:personIds as bigint[])) and type = any(cast(:eventTypes as text[]))
       ${without.length ? `and not (time >= :since and ${RECORDED_BY} = any(cast(:without as text[])))` : ''}
     order by person_id, time, id`,
    { personIds, eventTypes, ...(without.length && { without, since: new Date(since) }) },
  );
  const events = new Map<string, FactEvent[]>();
  for (const row of rows) {
    let own = events.get(row.person_id);
    if (!own) events.set(row.person_id, (own = []));
    own.push({ id: row.id, type: row.type, time: Number(row.time_ms), properties: row.properties });
  }
  return events;
}
