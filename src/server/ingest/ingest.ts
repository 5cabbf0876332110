import { HOUR, type Instant } from '@/core/time';
import { assignOrders, isOrderEvent, LEDGER_EVENTS } from '@/core/orders';
import { attributesToKeep, guessType, keptAttributes, laterConsent, learn, MOST_NAMES, PLAIN_DETAIL, type Profile } from '@/core/people';
import { reachOfEvent, type RevenueSettings } from '@/core/revenue';
import type { Happening, Value } from '@/core/rules';
import { discoverAttributes, holdPeople, lockPeople, noteUnkept, saveConsents, type ConsentChange, type PersonChange } from '@/data/people';
import {
  claimEventKeys,
  eventKey,
  HAND_SOURCE,
  insertEvents,
  insertSame,
  noteArrivals,
  OWN_SOURCE,
  saveRejections,
  type Arrival,
  type NewEvent,
  type Rejection,
  type SameArming,
  type SameEvent,
} from '@/data/sources';
import { wakePeople } from '@/data/rules';
import { inTransaction, isOutage, type Db, type Sql } from '@/data/db';
import { moveOrderEvents, refreshCarts, withOrdersAfter } from '@/data/revenue';
import { noteMessageEvents } from '@/data/messages';
import { readStoreAndFlows, type PublishedFlow } from '@/data/store';
import { joinRuns } from './join';
import { attributeRecords, forgetAttributes } from './attributes';
import { gather, TooMuch } from '../base';
import { changeOf, identify, lookUp, type KnownPerson } from './identity';
import {
  bookForErased,
  keepForOrders,
  keyOfEvent,
  mentionIn,
  readOrders,
  sortByOwner,
  type CameBy,
  type OrdersKnown,
  type ReadEvent,
} from './orders';
import { MOST_EVENTS, parseEvent, type ParsedEvent } from './parse';
import { productsIn, seenIn } from './seen';
import { armStarts, settleAnew, settleLedger, startsOf } from './settle';
import { Problem, type FieldProblem } from '../http';

export interface IngestAnswer {
  readonly accepted: number;
  readonly duplicates: number;
  readonly rejected: readonly { readonly index: number; readonly problems: readonly FieldProblem[] }[];
}

/** How events come in. */
export interface Door extends CameBy {
  /** what a page tells teaches nothing that is known already, whoever was shown to be there */
  readonly isPage?: boolean;
  /** a batch that already stands in a transaction of the caller */
  readonly trx?: Sql;
}

interface Batch {
  readonly inputs: readonly unknown[];
  readonly door: Door;
}

/** Takes one event or a batch in. Bad ones are answered with their problems and kept, the good ones are stored together. */
export async function ingest(db: Db, body: unknown, door: Door = { sourceId: HAND_SOURCE }): Promise<IngestAnswer> {
  const inputs = Array.isArray(body) ? body : [body];
  if (!Array.isArray(body) && (body === null || typeof body !== 'object'))
    throw new Problem(400, 'Not an event', 'Send an event as a JSON object, or a list of events.');
  if (inputs.length > MOST_EVENTS)
    throw new Problem(413, 'Too many events', `A batch holds at most ${MOST_EVENTS} events; this one has ${inputs.length}.`);
  if (door.trx) return (await takeIn(door.trx, (work) => work(door.trx!), [{ inputs, door }]))[0]!;
  return gathererOf(db)({ inputs, door }).catch((error: unknown) => {
    throw error instanceof TooMuch
      ? new Problem(
          503,
          'Too much at once',
          'More events arrive than can be stored at the moment; nothing of these was stored. Send them again in a few seconds.',
        )
      : error;
  });
}

/** How many events may wait for those before them: some seconds' worth, and a bound to memory. */
const MOST_WAITING = 50 * MOST_EVENTS;

// what shops send at the same moment goes into one transaction
const gatherers = new WeakMap<Db, (batch: Batch) => Promise<IngestAnswer>>();

function gathererOf(db: Db): (batch: Batch) => Promise<IngestAnswer> {
  let known = gatherers.get(db);
  if (!known) {
    known = gather<Batch, IngestAnswer>((group) => takeIn(db, (work) => inTransaction(db, work), group), {
      sizeOf: ({ inputs }) => inputs.length,
      most: MOST_EVENTS,
      atOnce: 4,
      mostWaiting: MOST_WAITING,
      isOneBad: (error) => !isOutage(error),
    });
    gatherers.set(db, known);
  }
  return known;
}

/** Reads batches and stores what can be stored of them, in one transaction; answers for each. */
async function takeIn(
  sql: Sql,
  inOne: <T>(work: (trx: Sql) => Promise<T>) => Promise<T>,
  batches: readonly Batch[],
): Promise<IngestAnswer[]> {
  const store = await readStoreAndFlows(sql);
  const rejected: { index: number; problems: readonly FieldProblem[] }[][] = batches.map(() => []);
  const events: ReadEvent[] = [];
  batches.forEach(({ inputs }, batch) =>
    inputs.forEach((input, index) => {
      const parsed = parseEvent(input, store.now);
      if ('event' in parsed) events.push({ batch, index, event: parsed.event });
      else rejected[batch]!.push({ index, problems: parsed.problems });
    }),
  );

  const accepted = events.length
    ? await inOne((trx) =>
        write(
          trx,
          events,
          batches.map(({ door }) => door),
          store,
        ),
      )
    : [];
  const answers: IngestAnswer[] = [];
  for (const [batch, { inputs, door }] of batches.entries()) {
    const own = rejected[batch]!.sort((a, b) => a.index - b.index);
    if (own.length)
      await saveRejections(
        sql,
        door.sourceId,
        store.now,
        own.slice(0, 200).map(({ index, problems }) => rejectionOf(inputs[index], problems)),
        own.length,
      );
    const taken = accepted[batch] ?? 0;
    answers.push({ accepted: taken, duplicates: inputs.length - taken - own.length, rejected: own });
  }
  return answers;
}

const LARGEST_RAW = 16 * 1024;

/** What was refused, as it is kept: not without end. */
function rejectionOf(input: unknown, problems: readonly FieldProblem[]): Rejection {
  const text = rawOf(input).slice(0, LARGEST_RAW);
  const type =
    input !== null && typeof input === 'object' && typeof (input as { type?: unknown }).type === 'string'
      ? (input as { type: string }).type
      : null;
  return { type: type && type.slice(0, 80), problems, raw: text };
}

function rawOf(input: unknown): string {
  try {
    return JSON.stringify(input) ?? 'undefined';
  } catch {
    // nested without end: its beginning is not worth the stack
    return '(nested too deeply to be kept)';
  }
}

/** Stores events of several batches. Returns how many of each were new. */
async function write(trx: Sql, sent: readonly ReadEvent[], sentBy: readonly Door[], store: StoreNow): Promise<number[]> {
  const orders = await readOrders(
    trx,
    sent.map(({ event }) => event),
  );
  // events that waited for an order of this batch come in with it, each as a batch of its own
  const doors: Door[] = [...sentBy, ...orders.waiting.map(({ cameBy }) => cameBy)];
  const released = orders.waiting.map(({ event }, index): ReadEvent => ({ batch: sentBy.length + index, index: 0, event }));
  const { owned, waiting, erased } = sortByOwner([...sent, ...released], orders);
  const counts = [
    await keepForOrders(trx, waiting, doors, store.now),
    await bookForErased(trx, erased, doors, store.revenue),
    owned.length ? await writeOwned(trx, owned, doors, orders, store) : [],
  ];
  return sentBy.map((_, batch) => counts.reduce((sum, one) => sum + (one[batch] ?? 0), 0));
}

/** Stores events of people and everything that follows from them. Returns how many of each batch were new. */
async function writeOwned(
  trx: Sql,
  owned: readonly ReadEvent[],
  doors: readonly Door[],
  { holders }: OrdersKnown,
  store: StoreNow,
): Promise<number[]> {
  const byKey = new Map<string, ReadEvent>();
  for (const one of owned) {
    const key = keyOfEvent(one);
    if (!byKey.has(key)) byKey.set(key, one);
  }
  const standing = await lookUp(
    trx,
    [...byKey.values()].map(({ event }) => event),
    [...new Set(holders.map(({ personId }) => personId))],
    [...byKey.keys()],
  );
  const fresh = [...byKey].filter(([key]) => standing.fresh.has(key)).map(([, one]) => one);
  const accepted = fresh.map(({ event }) => event);
  const own = doors.map((): ParsedEvent[] => []);
  for (const { batch, event } of fresh) own[batch]!.push(event);
  const all = doors.map(() => 0);
  for (const { batch } of owned) all[batch]! += 1;
  const arrivals = doors.map(({ sourceId }, batch): Arrival => ({
    sourceId,
    at: store.now,
    accepted: own[batch]!.length,
    duplicates: all[batch]! - own[batch]!.length,
    rejected: 0,
    seen: seenIn(own[batch]!),
    products: productsIn(own[batch]!),
  }));
  const counts = arrivals.map((arrival) => arrival.accepted);
  if (!accepted.length) {
    await noteArrivals(trx, arrivals);
    return counts;
  }

  const records = await attributeRecords(trx);
  const { people, owners: named, via, store: storePeople, moved, current } = await identify(trx, accepted, standing, store.now);
  const assigned = assignOrders(
    accepted.map(mentionIn),
    named.map((one) => one?.id ?? null),
    holders,
    (id) => current(id)?.id ?? id,
  );
  const owners = named.map((one, index): KnownPerson => {
    const owner = assigned.owners.get(index);
    return (owner === undefined ? one : (current(owner) ?? one))!;
  });
  for (const { from, to } of assigned.moves) for (const id of [from, to]) current(id)!.isUnsettled = true;
  const before = new Map([...people].map(([id, p]) => [id, p.profile]));
  const consents = new Map<string, ConsentChange>();
  const seen = new Map<KnownPerson, { first: Instant; last: Instant }>();
  // names that nobody has met before; what is said under names beyond the limits stays with its event
  const learned = new Set<string>();
  const unkept = new Map<string, number>();
  const leftBy = new Map<number, { readonly [name: string]: Value }>();
  const isOnRecord = (name: string): boolean => records.has(name) || learned.has(name);
  accepted.forEach((event, index) => {
    // what an event says about a person is about the one it names, also if someone else has the order
    const person = named[index] ?? owners[index]!;
    // whoever sits at a device may be anybody: what is said there alone is not about its owner
    if (!via[index]?.startsWith('device:')) {
      const said = keptAttributes(event.said, records);
      const { kept, left } = attributesToKeep(said, person.profile.attributes, isOnRecord, MOST_NAMES - records.size - learned.size);
      for (const name in kept) if (!records.has(name)) learned.add(name);
      for (const name in left) unkept.set(name, (unkept.get(name) ?? 0) + 1);
      if (Object.keys(left).length) leftBy.set(index, left);
      person.profile = learn(person.profile, doors[fresh[index]!.batch]!.isPage ? unknownOf(kept, person.profile) : kept, event.time);
      for (const { channel, state } of event.consents) {
        const known = person.consents.get(channel) ?? null;
        const next = laterConsent(known, { state, at: event.time })!;
        if (next.state !== known?.state) {
          const detail = { ...event.detail, how: event.detail.how || `${event.type} from ${event.source}` };
          consents.set(`${person.id}/${channel}`, { personId: person.id, channel, state: next, detail });
        }
        person.consents.set(channel, next);
      }
    }
    const span = seen.get(person);
    seen.set(person, { first: Math.min(span?.first ?? event.time, event.time), last: Math.max(span?.last ?? event.time, event.time) });
  });

  const changes: PersonChange[] = [];
  for (const person of people.values()) {
    const span = seen.get(person) ?? { first: person.firstSeen, last: person.seenAt };
    const hasLearned = person.profile !== before.get(person.id);
    // when someone was last seen is kept to the hour, so that browsing does not rewrite the person with each page
    // and with its indexed columns as they are, a person is rewritten in place
    const last = !person.isNew && span.last < person.seenAt + HOUR ? person.seenAt : span.last;
    if (!hasLearned && !person.isNew && !person.isChanged && last === person.seenAt && span.first >= person.firstSeen) continue;
    changes.push(changeOf(person, { first: span.first, last }));
  }
  await storePeople(changes);
  for (const move of assigned.moves) await moveOrderEvents(trx, move);
  if (learned.size) await discover(trx, learned, changes);
  if (unkept.size) await noteUnkept(trx, unkept, store.now);
  for (const person of people.values()) {
    for (const channel of person.stricter) {
      const id = `${person.id}/${channel}`;
      if (!consents.has(id))
        consents.set(id, {
          personId: person.id,
          channel,
          state: person.consents.get(channel)!,
          detail: { ...PLAIN_DETAIL, how: 'two people became one: the stricter consent' },
        });
    }
  }
  await saveConsents(
    trx,
    [...consents.values()].map((change) => ({
      ...change,
      state: people.get(change.personId)?.consents.get(change.channel) ?? change.state,
    })),
  );

  const rows = fresh.map(({ event, batch }, index): StoredEvent => ({
    personId: owners[index]!.id,
    type: event.type,
    time: event.time,
    source: event.source,
    eventId: event.id,
    properties: leftBy.has(index) ? { ...event.properties, person: leftBy.get(index)! } : event.properties,
    via: owners[index] === named[index] ? (via[index] ?? null) : null,
    sourceId: doors[batch]!.sourceId,
    startsNothing: doors[batch]!.startsNothing ?? false,
  }));
  await afterwards(
    trx,
    rows,
    [...people.values()].filter((p) => p.isUnsettled).map((p) => p.id),
    moved,
    store,
    arrivals,
  );
  return counts;
}

/** What is said that is not known yet. */
const unknownOf = (said: { readonly [name: string]: Value }, { attributes }: Profile): { readonly [name: string]: Value } =>
  Object.fromEntries(Object.entries(said).filter(([name]) => attributes[name] === undefined));

/** Notes attributes that nobody has met before, with the type that their values look like. */
async function discover(trx: Sql, names: ReadonlySet<string>, changes: readonly PersonChange[]): Promise<void> {
  const rows = [...names].flatMap((name) => {
    const value = changes.find((change) => change.profile.attributes[name] !== undefined)?.profile.attributes[name];
    const type = value === undefined ? null : guessType(value);
    return type ? [{ name, type }] : [];
  });
  await discoverAttributes(trx, rows);
  forgetAttributes(trx);
}

interface StoredEvent extends NewEvent {
  readonly startsNothing: boolean;
}

interface StoreNow {
  readonly now: Instant;
  readonly currency: string;
  readonly zone: string;
  readonly flows: readonly PublishedFlow[];
  readonly revenue: RevenueSettings;
}

/** Writes events of people who are locked, and does all that follows from them. */
async function afterwards(
  trx: Sql,
  rows: readonly StoredEvent[],
  mergedIds: readonly string[],
  moved: readonly { personId: string; event: Happening }[],
  store: StoreNow,
  arrivals: readonly Arrival[],
): Promise<void> {
  const starting = rows.flatMap(({ personId, startsNothing, type, time, properties }) =>
    startsNothing ? [] : [{ personId, event: { type, time, properties } }],
  );
  const starts = await startsOf(trx, [...starting, ...moved], store.flows, store.zone, store.now);
  const earlier = await insertEvents(trx, rows, store.now, { arrivals, beginnings: starts.beginnings });
  const dirty = new Set<string>();
  const touches: { personId: string; at: Instant; windowMs: number }[] = [];
  for (const { personId, type, time } of rows) {
    if (isOrderEvent(type)) dirty.add(personId);
    else if (LEDGER_EVENTS.includes(type)) touches.push({ personId, at: time, windowMs: reachOfEvent(store.revenue, type) });
  }
  // an opening or a click can only change the credit of orders that followed it
  for (const id of await withOrdersAfter(trx, touches)) dirty.add(id);
  for (const id of mergedIds) dirty.delete(id);
  await noteMessageEvents(
    trx,
    rows.flatMap((row) =>
      row.type.startsWith('message.') && typeof row.properties.sendId === 'string'
        ? [{ personId: row.personId, sendId: row.properties.sendId, type: row.type, time: row.time }]
        : [],
    ),
  );
  await settleAnew(trx, mergedIds, store);
  const told: OwnEvent[] = [];
  for (const id of mergedIds) told.push(...(await joinRuns(trx, id, store.now)));
  await wakePeople(trx, mergedIds, store.now);
  await settleLedger(trx, [...dirty], store);
  const mine = new Set(rows.flatMap(({ personId, type }) => (type === 'cart.updated' ? [personId] : [])));
  await refreshCarts(trx, [...mine]);
  await armStarts(trx, starts, earlier);
  if (told.length) await storeOwn(trx, told, store);
}

/** An event of our own, of a person who is known. `eventId` is unique among our events: the same is recorded once. */
export interface OwnEvent {
  readonly personId: string;
  readonly type: string;
  readonly eventId: string;
  readonly properties: { readonly [name: string]: Value };
  /** now, where it is left out */
  readonly at?: Instant;
}

/** Records an event of our own (a message opened, say) for a person who is known. One with a known id is left out. */
export async function recordOwn(db: Db, event: OwnEvent, given?: Sql): Promise<void> {
  const store = await readStoreAndFlows(given ?? db);
  const work = async (trx: Sql): Promise<void> => {
    if ((await lockPeople(trx, [event.personId])).size) await recordIn(trx, [event], store);
  };
  await (given ? work(given) : inTransaction(db, work));
}

/**
 * Records events of our own for people who are locked already, in the caller's transaction: `events` each once by its id,
 * `told` as they are, for what they tell changes in the same transaction, so nobody tells it twice.
 */
export async function recordFor(trx: Sql, events: readonly OwnEvent[], told: readonly OwnEvent[] = []): Promise<void> {
  if (events.length + told.length) await recordIn(trx, events, await readStoreAndFlows(trx), told);
}

/**
 * Records the same event of our own for many people, in the caller's transaction: locks them, and does for all in one statement what
 * {@link recordFor} does for each. Of types that orders, carts and credits do not hang on.
 */
export async function recordSame(trx: Sql, personIds: readonly string[], event: SameEvent): Promise<void> {
  const held = await holdPeople(trx, personIds);
  if (!held.length) return;
  const store = await readStoreAndFlows(trx);
  const { armed, reentryOf } = await startsOf(trx, [{ personId: '', event }], store.flows, store.zone, store.now);
  const armings = armed.map(({ personId: _, ...one }): SameArming => {
    const reentry = reentryOf.get(one.flowId)!;
    return { ...one, once: reentry === 'once' ? 'ever' : reentry === 'once-per-key' ? 'by-key' : null };
  });
  const count = await insertSame(trx, held, event, store.now, armings);
  await noteArrivals(trx, [
    {
      sourceId: OWN_SOURCE,
      at: store.now,
      accepted: count,
      duplicates: 0,
      rejected: 0,
      seen: seenIn(Array.from({ length: count }, () => event)),
    },
  ]);
}

async function recordIn(trx: Sql, events: readonly OwnEvent[], store: StoreNow, told: readonly OwnEvent[] = []): Promise<void> {
  const keyOf = ({ eventId }: OwnEvent) => eventKey('viatic', eventId);
  const fresh = events.length ? await claimEventKeys(trx, events.map(keyOf)) : NOBODY;
  const all = [...events.filter((event) => fresh.has(keyOf(event))), ...told];
  if (all.length) await storeOwn(trx, all, store);
}
const NOBODY: ReadonlySet<string> = new Set();

async function storeOwn(trx: Sql, events: readonly OwnEvent[], store: StoreNow): Promise<void> {
  const stored = events.map(({ at, ...event }) => ({
    ...event,
    time: at ?? store.now,
    source: 'viatic',
    sourceId: OWN_SOURCE,
    startsNothing: false,
  }));
  await afterwards(trx, stored, [], [], store, [
    { sourceId: OWN_SOURCE, at: store.now, accepted: stored.length, duplicates: 0, rejected: 0, seen: seenIn(stored) },
  ]);
}
