import { createHash } from 'node:crypto';
import { HOUR, type Instant } from '@/core/time';
import { LEDGER_EVENTS } from '@/core/orders';
import { laterConsent, learn } from '@/core/people';
import { CONSENT_CHANGED, PERSON_CHANGED, type FactEvent, type Value } from '@/core/rules';
import { inTransaction, type Db, type Sql } from '@/data/db';
import { claimEventKeys, insertEvents } from '@/data/events';
import { lockPeople, saveConsents, savePeople, type ConsentChange, type PersonChange } from '@/data/people';
import { ownersOf } from '@/data/revenue';
import { wakeRuns } from '@/data/runs';
import { noteMessageEvents } from '@/data/sends';
import { readStore } from '@/data/store';
import { identify, type KnownPerson } from './identity';
import { MOST_EVENTS, parseEvent, type ParsedEvent } from './parse';
import { armFlows, settleLedger } from './settle';
import { Problem, type FieldProblem } from '../http/problem';

export interface IngestAnswer {
  readonly accepted: number;
  readonly duplicates: number;
  readonly rejected: readonly { readonly index: number; readonly problems: readonly FieldProblem[] }[];
}

/** What makes an event unique, as 128 bits: its source and id. */
export function eventKey(source: string, id: string): string {
  const hex = createHash('sha256').update(source).update('\0').update(id).digest('hex');
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-${hex.slice(12, 16)}-${hex.slice(16, 20)}-${hex.slice(20, 32)}`;
}

/** Takes one event or a batch in. Bad ones are answered with their problems, the good ones are stored together. */
export async function ingest(db: Db, scope: string, body: unknown): Promise<IngestAnswer> {
  const inputs = Array.isArray(body) ? body : [body];
  if (!Array.isArray(body) && (body === null || typeof body !== 'object')) throw new Problem(400, 'Not an event', 'Send an event as a JSON object, or a list of events.');
  if (inputs.length > MOST_EVENTS) throw new Problem(413, 'Too many events', `A batch holds at most ${MOST_EVENTS} events; this one has ${inputs.length}.`);
  const store = await readStore(db);
  const rejected: { index: number; problems: FieldProblem[] }[] = [];
  const events: { index: number; event: ParsedEvent }[] = [];
  inputs.forEach((input, index) => {
    const parsed = parseEvent(input, store.now);
    if ('event' in parsed) events.push({ index, event: parsed.event });
    else rejected.push({ index, problems: parsed.problems });
  });
  if (!events.length) return { accepted: 0, duplicates: 0, rejected };

  const { accepted, ownerless } = await inTransaction(db, (trx) => write(trx, scope, events, store));
  rejected.push(...ownerless.map((index) => ({ index, problems: [{ field: 'data.orderId', wrong: 'is not an order on file, and the event does not say whose it is', right: 'a subject or data.person.email, or the id of a known order' }] })));
  rejected.sort((a, b) => a.index - b.index);
  return { accepted, duplicates: inputs.length - accepted - rejected.length, rejected };
}

async function write(trx: Sql, scope: string, events: readonly { index: number; event: ParsedEvent }[], store: { now: Instant; currency: string; zone: string }): Promise<{ accepted: number; ownerless: number[] }> {
  const orderOwners = await ownersOfOrders(trx, events.map(({ event }) => event));
  const isOwned = (event: ParsedEvent) => event.externalId || event.email || orderOwners.has(String(event.properties.orderId));
  const ownerless = events.filter(({ event }) => !isOwned(event)).map(({ index }) => index);
  const owned = events.filter(({ event }) => isOwned(event));

  const byKey = new Map<string, ParsedEvent>();
  for (const { event } of owned) {
    const key = eventKey(event.source, event.id);
    if (!byKey.has(key)) byKey.set(key, event);
  }
  const fresh = byKey.size ? await claimEventKeys(trx, [...byKey.keys()]) : new Set<string>();
  const accepted = [...byKey].filter(([key]) => fresh.has(key)).map(([, event]) => event);
  if (!accepted.length) return { accepted: 0, ownerless };

  const { people, ownerOf } = await identify(trx, accepted, orderOwners, store.now);
  const before = new Map([...people].map(([id, p]) => [id, p.profile]));
  const consents: ConsentChange[] = [];
  const seen = new Map<KnownPerson, { first: Instant; last: Instant }>();
  for (const event of accepted) {
    const person = ownerOf(event)!;
    person.profile = learn(person.profile, event.said, event.time);
    if (event.consent) {
      const next = laterConsent(person.consent, { state: event.consent, at: event.time })!;
      if (next.state !== person.consent?.state) consents.push({ personId: person.id, state: next, how: `${event.type} from ${event.source}`, wording: event.wording });
      person.consent = next;
    }
    const span = seen.get(person);
    seen.set(person, { first: Math.min(span?.first ?? event.time, event.time), last: Math.max(span?.last ?? event.time, event.time) });
  }

  const changes: PersonChange[] = [];
  let hasLearned = false;
  for (const [person, { first, last }] of seen) {
    const hasChanged = person.profile !== before.get(person.id);
    hasLearned ||= hasChanged;
    // when someone was last seen is kept to the hour, so that browsing does not rewrite the person with each page
    if (!hasChanged && !person.isNew && !person.isRenamed && !person.hasMerged && last < person.seenAt + HOUR && first >= person.firstSeen) continue;
    changes.push({ id: person.id, externalId: person.externalId, profile: person.profile, firstSeen: Math.min(person.firstSeen, first), lastSeen: person.isNew ? last : Math.max(last, person.seenAt) });
  }
  await savePeople(trx, changes);
  await saveConsents(trx, lastOfEach(consents, [...people.values()]));

  const rows = accepted.map((event) => ({ personId: ownerOf(event)!.id, type: event.type, time: event.time, source: event.source, eventId: event.id, properties: event.properties }));
  const extra = [...(hasLearned ? [PERSON_CHANGED] : []), ...(consents.length ? [CONSENT_CHANGED] : [])];
  await afterwards(trx, scope, rows, [...people.values()].filter((p) => p.hasMerged).map((p) => p.id), extra, store);
  return { accepted: accepted.length, ownerless };
}

/** One change of consent a person: what the batch as a whole has changed. */
function lastOfEach(changes: readonly ConsentChange[], people: readonly KnownPerson[]): ConsentChange[] {
  const byPerson = new Map<string, ConsentChange>();
  for (const change of changes) byPerson.set(change.personId, change);
  for (const person of people) {
    if (person.hasMerged && person.consent && !byPerson.has(person.id)) byPerson.set(person.id, { personId: person.id, state: person.consent, how: 'two people became one: the stricter consent', wording: null });
    const change = byPerson.get(person.id);
    if (change && person.consent) byPerson.set(person.id, { ...change, state: person.consent });
  }
  return [...byPerson.values()];
}

interface StoredEvent {
  readonly personId: string;
  readonly type: string;
  readonly time: Instant;
  readonly source: string;
  readonly eventId: string;
  readonly properties: { readonly [name: string]: Value };
}

/** Writes events of people who are locked, and does all that follows from them. */
async function afterwards(trx: Sql, scope: string, rows: readonly StoredEvent[], mergedIds: readonly string[], extraTypes: readonly string[], store: { now: Instant; currency: string; zone: string }): Promise<void> {
  const ids = await insertEvents(trx, rows, store.now);
  const dirty = new Set(mergedIds);
  for (const row of rows) if (LEDGER_EVENTS.includes(row.type)) dirty.add(row.personId);
  await noteMessageEvents(trx, rows.flatMap((row) => (row.type.startsWith('message.') && typeof row.properties.sendId === 'string' ? [{ personId: row.personId, sendId: row.properties.sendId, type: row.type, time: row.time }] : [])));
  await settleLedger(trx, [...dirty], store.currency);
  const stored: { personId: string; event: FactEvent }[] = rows.map((row, index) => ({ personId: row.personId, event: { id: ids[index]!, type: row.type, time: row.time, properties: row.properties } }));
  await armFlows(trx, scope, stored, store.zone, store.now);
  await wakeRuns(trx, [...new Set(rows.map((row) => row.personId))], [...new Set([...rows.map((row) => row.type), ...extraTypes])], store.now);
}

/** Events without a person of their own (a cancellation that names just the order) belong to whoever ordered. */
async function ownersOfOrders(trx: Sql, events: readonly ParsedEvent[]): Promise<Map<string, string>> {
  const orderIds = events.filter((event) => !event.externalId && !event.email).map((event) => String(event.properties.orderId));
  if (!orderIds.length) return new Map();
  return ownersOf(trx, orderIds);
}

/** Records an event of our own (a message opened, say) for a person who is known. One with a known id is left out. */
export async function recordOwn(db: Db, scope: string, event: { personId: string; type: string; eventId: string; properties: { readonly [name: string]: Value } }): Promise<void> {
  const store = await readStore(db);
  await inTransaction(db, async (trx) => {
    if (!(await lockPeople(trx, [event.personId])).size) return;
    const fresh = await claimEventKeys(trx, [eventKey('viatic', event.eventId)]);
    if (!fresh.size) return;
    await afterwards(trx, scope, [{ ...event, time: store.now, source: 'viatic' }], [], [], store);
  });
}
