import {
  EMPTY_PROFILE,
  identifierKey,
  identifierOf,
  isOfficeMailbox,
  joinProfiles,
  resolveIdentity,
  stricterConsents,
  type Claim,
  type ConsentState,
  type Identifier,
  type Profile,
  type Someone,
  type WeakClaim,
} from '@/core/people';
import { LATEST_MS } from '@/core/flows';
import type { Channel, Happening } from '@/core/rules';
import type { Instant } from '@/core/time';
import type { Sql } from '@/data/db';
import { lookAt } from '@/data/rules';
import {
  addIdentifiers,
  ageIdentifiers,
  claimAndLook,
  consentsOf,
  handOver,
  moveToPerson,
  nextPersonIds,
  reassignIdentifier,
  savePeople,
  saveWeakClaims,
  type PersonChange,
  type Standing,
} from '@/data/people';
import type { ParsedEvent } from './parse';

/** A person as this batch knows them: locked, and to be stored with what the batch teaches. */
export interface KnownPerson extends Someone {
  id: string;
  profile: Profile;
  consents: Map<Channel, ConsentState>;
  seenAt: Instant;
  isNew: boolean;
  /** something of their record beside attributes has changed */
  isChanged: boolean;
  /** another person has been joined into this one, or events were handed over: orders and credits are to be computed anew */
  isUnsettled: boolean;
  /** channels whose consent became stricter by a merge */
  stricter: Set<Channel>;
}

/** Raised when another transaction has just joined someone we were looking at: the batch starts over. */
class MovedAway extends Error {
  readonly code = '40001';
}

/** What an event tells of whose it is. An address that several share identifies only where nothing better is said. */
export function claimOf(
  event: Pick<ParsedEvent, 'externalId' | 'email' | 'phone' | 'device' | 'time'>,
  shared: ReadonlySet<string>,
): Claim {
  const strong: Identifier[] = [];
  if (event.externalId) strong.push({ kind: 'external', value: event.externalId });
  if (event.email && !(strong.length && (isOfficeMailbox(event.email) || shared.has(`email:${event.email}`))))
    strong.push({ kind: 'email', value: event.email });
  const weak: Identifier[] = [];
  if (event.phone) weak.push({ kind: 'phone', value: event.phone });
  if (event.device) weak.push({ kind: 'device', value: event.device });
  return { strong, weak: weak.filter((one) => !shared.has(identifierKey(one)) || !strong.length), time: event.time };
}

export interface Identified {
  readonly people: ReadonlyMap<string, KnownPerson>;
  /** whose each event is, in order */
  readonly owners: readonly (KnownPerson | null)[];
  readonly via: readonly (string | null)[];
  /** finds a person who was locked, or who they have become in this batch */
  readonly current: (personId: string) => KnownPerson | null;
  /** stores people with what the caller has taught them, then who was joined and what each is known by */
  readonly store: (changes: readonly PersonChange[]) => Promise<void>;
  /** events that turned out to be somebody else's, once stored: what they begin, they begin for that person */
  readonly moved: readonly { readonly personId: string; readonly event: Happening }[];
}

/** What is on file about those whose events these may be, who are locked; and which of the events' keys are new, where some are claimed. */
export async function lookUp(
  trx: Sql,
  events: readonly ParsedEvent[],
  alsoLocked: readonly string[],
  keys: readonly string[] | null,
): Promise<Standing> {
  const identifiers = new Set<string>();
  for (const event of events) {
    if (event.externalId) identifiers.add(`external:${event.externalId}`);
    if (event.email) identifiers.add(`email:${event.email}`);
    if (event.phone) identifiers.add(`phone:${event.phone}`);
    if (event.device) identifiers.add(`device:${event.device}`);
  }
  return claimAndLook(trx, keys, [...identifiers], alsoLocked);
}

/**
 * Finds out whose events these are, creating, extending and merging people. `core/people/identity` decides; here is what
 * it looks at and what follows.
 */
export async function identify(
  trx: Sql,
  events: readonly ParsedEvent[],
  { found, weak, shared, locked, wanted }: Standing,
  now: Instant,
): Promise<Identified> {
  if (locked.length < wanted) throw new MovedAway('a person was merged meanwhile');
  const people = new Map<string, KnownPerson>();
  for (const row of locked) {
    people.set(row.id, {
      ref: row.id,
      id: row.id,
      isKnown: row.isKnown,
      externalId: row.externalId,
      externalAt: row.externalAt ?? Infinity,
      firstSeen: row.createdAt,
      profile: row.profile,
      consents: new Map(),
      seenAt: row.seenAt,
      isNew: false,
      isChanged: false,
      isUnsettled: false,
      stricter: new Set(),
    });
  }
  const before = new Map(
    [...people].map(([id, one]) => [
      id,
      { externalId: one.externalId, externalAt: one.externalAt, isKnown: one.isKnown, firstSeen: one.firstSeen },
    ]),
  );

  const weakClaims = new Map<string, WeakClaim[]>();
  for (const { identifier, claimedBy, personId, firstAt } of weak) {
    const list = weakClaims.get(identifier) ?? [];
    list.push({ by: claimedBy, owner: people.get(personId)!, firstAt });
    weakClaims.set(identifier, list);
  }
  const resolved = resolveIdentity(
    events.map((event) => claimOf(event, shared)),
    {
      owners: new Map([...found].map(([key, one]) => [key, people.get(one.personId)!])),
      firstAt: new Map([...found].map(([key, one]) => [key, one.firstAt])),
      weakClaims,
    },
  );

  // consent matters where it is spoken of, and to people who are joined
  if (resolved.merges.length || events.some((event) => event.consents.length > 0)) {
    for (const [id, consents] of await consentsOf(trx, [...people.keys()])) people.get(id)!.consents = consents;
  }

  // people who are new get their numbers; what identity made of them becomes what this batch knows of them
  const numbers = await nextPersonIds(trx, resolved.created.length);
  resolved.created.forEach((someone, index) => {
    const person = Object.assign(someone, {
      id: numbers[index]!,
      profile: EMPTY_PROFILE,
      consents: new Map<Channel, ConsentState>(),
      seenAt: -Infinity,
      isNew: true,
      isChanged: true,
      isUnsettled: false,
      stricter: new Set<Channel>(),
    }) as KnownPerson;
    people.set(person.id, person);
  });

  for (const { winner: someone, loser } of resolved.merges) {
    const winner = someone as KnownPerson;
    const lost = people.get(loser.ref);
    if (!lost || lost.isNew) continue;
    winner.profile = joinProfiles(winner.profile, lost.profile);
    for (const [channel, state] of stricterConsents(winner.consents, lost.consents)) {
      winner.consents.set(channel, state);
      winner.stricter.add(channel);
    }
    winner.seenAt = Math.max(winner.seenAt, lost.seenAt);
    winner.isChanged = winner.isUnsettled = true;
    people.delete(lost.id);
  }
  for (const { from, to } of resolved.handovers) for (const one of [from, to]) (one as KnownPerson).isUnsettled = true;
  for (const person of people.values()) {
    const was = before.get(person.id);
    // what is told late may show that somebody, or their id, is older than we knew
    if (
      was &&
      (was.externalId !== person.externalId ||
        was.externalAt !== person.externalAt ||
        was.isKnown !== person.isKnown ||
        was.firstSeen !== person.firstSeen)
    )
      person.isChanged = true;
  }

  const moved: { personId: string; event: Happening }[] = [];
  const store = async (changes: readonly PersonChange[]): Promise<void> => {
    // identifiers refer to people, so those who are new come first; a loser gives its external id free before the winner takes it
    await savePeople(
      trx,
      changes.filter((change) => change.isNew),
    );
    for (const { winner, loser, because } of resolved.merges) {
      const was = before.get(loser.ref);
      if (!was) continue;
      await moveToPerson(trx, loser.ref, (winner as KnownPerson).id, {
        at: now,
        by: 'events',
        because: sayBecause(because),
        isRecorded: was.isKnown,
      });
    }
    await savePeople(
      trx,
      changes.filter((change) => !change.isNew),
    );
    for (const { weak: key, from, to } of resolved.handovers) {
      const events = await handOver(trx, key, (from as KnownPerson).id, (to as KnownPerson).id, now - LATEST_MS);
      await lookAt(trx, [(from as KnownPerson).id, (to as KnownPerson).id], now);
      moved.push(...events.map((event) => ({ personId: (to as KnownPerson).id, event })));
      if (found.has(key)) await reassignIdentifier(trx, key, (to as KnownPerson).id);
    }
    await addIdentifiers(
      trx,
      [...resolved.gained].map(([key, { owner, at }]) => ({ key, personId: (owner as KnownPerson).id, firstAt: at })),
    );
    await ageIdentifiers(
      trx,
      [...resolved.earlier].filter(([key]) => found.has(key)).map(([key, firstAt]) => ({ key, firstAt })),
    );
    await saveWeakClaims(
      trx,
      [...resolved.claims].flatMap(([identifier, list]) =>
        list.map((claim) => ({ identifier, by: claim.by, personId: (claim.owner as KnownPerson).id, firstAt: claim.firstAt })),
      ),
    );
  };

  const current = (id: string): KnownPerson | null => {
    const known = people.get(id);
    if (known) return known;
    const merged = resolved.merges.find(({ loser }) => loser.ref === id);
    return merged ? (current(merged.winner.ref) ?? (merged.winner as KnownPerson)) : null;
  };
  return {
    people,
    owners: resolved.owners.map((one) => one as KnownPerson | null),
    current,
    via: resolved.via,
    store,
    moved,
  };
}

/** What joined two people, in words: "the address robin@example.com". */
function sayBecause(keys: string): string {
  return keys
    .split(' and ')
    .map((key) => {
      const { kind, value } = identifierOf(key);
      return kind === 'external' ? `the external id ${value}` : kind === 'email' ? `the address ${value}` : `the ${kind} ${value}`;
    })
    .join(' and ');
}

/** A person's record as it is to be stored. */
export function changeOf(person: KnownPerson, span: { first: Instant; last: Instant }): PersonChange {
  return {
    id: person.id,
    isNew: person.isNew,
    externalId: person.externalId,
    externalAt: person.externalAt,
    isKnown: person.isKnown,
    profile: person.profile,
    firstSeen: Math.min(person.firstSeen, span.first),
    lastSeen: Math.max(person.seenAt, span.last),
  };
}
