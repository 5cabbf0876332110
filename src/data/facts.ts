import type { FactEvent, Facts, Reach, Value } from '@/core/rules';
import { query, type Sql } from './db';

interface FactRow {
  id: string;
  attributes: Record<string, Value>;
  email: string | null;
  consent: 'given' | 'withdrawn' | null;
  suppressed: string | null;
}

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
    `select p.id, p.attributes, p.email, c.state as consent, s.reason as suppressed
     from people p
     left join consents c on c.person_id = p.id and c.channel = 'email'
     left join suppressions s on s.channel = 'email' and s.address = p.email
     where p.id = any(cast(:personIds as bigint[]))`,
    { personIds },
  );
  const events = eventTypes.length ? await loadEvents(sql, personIds, eventTypes) : new Map<string, FactEvent[]>();
  for (const person of people) {
    facts.set(person.id, {
      personId: person.id,
      attributes: person.attributes,
      reach: { email: reachOf(person.email, person.consent, person.suppressed) },
      events: events.get(person.id) ?? [],
    });
  }
  return facts;
}

/** What stands between us and an email address. */
export function reachOf(email: string | null, consent: 'given' | 'withdrawn' | null, suppressed: string | null): Reach {
  return { hasAddress: email !== null, state: consent ?? 'unknown', suppressed };
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
