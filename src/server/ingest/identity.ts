import { EMPTY_PROFILE, joinProfiles, stricterConsent, type ConsentState, type Profile } from '@/core/people';
import type { Instant } from '@/core/time';
import type { Sql } from '@/data/db';
import { addIdentifiers, createPeople, findByIdentifiers, lockPeople, moveToPerson, readConsents, type Identifier } from '@/data/people';
import type { ParsedEvent } from './parse';

/** A person as this batch knows them: locked, and to be stored with what the batch teaches. */
export interface KnownPerson {
  readonly id: string;
  externalId: string | null;
  profile: Profile;
  consent: ConsentState | null;
  seenAt: Instant;
  firstSeen: Instant;
  isNew: boolean;
  /** has gained an external id, which is to be stored */
  isRenamed: boolean;
  /** another person has been joined into this one: orders and credits are to be computed anew */
  hasMerged: boolean;
}

/** Raised when another transaction has just joined someone we were looking at: the batch starts over. */
class MovedAway extends Error {
  readonly code = '40001';
}

/**
 * Finds out whose events these are, creating, extending and merging people, and locks them all.
 * The external id decides. An address belongs to the person who has it; one without an external id turns out to be
 * the person with that id and is merged into them; an address that belongs to someone with another external id
 * (a shared mailbox) stays theirs. `ownerOf` answers for each event.
 */
export async function identify(trx: Sql, events: readonly ParsedEvent[], orderOwners: ReadonlyMap<string, string>, now: Instant): Promise<{ people: Map<string, KnownPerson>; ownerOf: (event: ParsedEvent) => KnownPerson | null }> {
  const wanted = new Map<string, Identifier>();
  for (const event of events) {
    if (event.externalId) wanted.set(`external:${event.externalId}`, { kind: 'external', value: event.externalId });
    if (event.email) wanted.set(`email:${event.email}`, { kind: 'email', value: event.email });
  }
  const found = await findByIdentifiers(trx, [...wanted.values()]);
  const ids = [...new Set([...found.values(), ...orderOwners.values()])];
  const locked = await lockPeople(trx, ids);
  if (locked.size < ids.length) throw new MovedAway('a person was merged meanwhile');
  const consents = await readConsents(trx, ids);

  const people = new Map<string, KnownPerson>();
  for (const row of locked.values()) {
    people.set(row.id, {
      id: row.id, externalId: row.external_id, profile: { attributes: row.attributes, stamped: row.stamped }, consent: consents.get(row.id) ?? null,
      seenAt: row.seen_at.getTime(), firstSeen: row.created_at.getTime(), isNew: false, isRenamed: false, hasMerged: false,
    });
  }

  // people who are new get placeholders first, so that they are created with one statement
  const owners = new Map<string, KnownPerson>([...found].map(([name, id]) => [name, people.get(id)!]));
  const fresh: KnownPerson[] = [];
  const gained: { identifier: Identifier; person: KnownPerson }[] = [];
  const merges: { loser: KnownPerson; winner: KnownPerson }[] = [];
  const gain = (identifier: Identifier, person: KnownPerson) => {
    owners.set(`${identifier.kind}:${identifier.value}`, person);
    gained.push({ identifier, person });
    if (identifier.kind === 'external') {
      person.externalId = identifier.value;
      person.isRenamed = true;
    }
  };
  const create = (): KnownPerson => {
    const person: KnownPerson = { id: `new:${fresh.length}`, externalId: null, profile: EMPTY_PROFILE, consent: null, seenAt: 0, firstSeen: now, isNew: true, isRenamed: false, hasMerged: false };
    fresh.push(person);
    return person;
  };
  for (const event of events) {
    const { externalId, email } = event;
    const byId = externalId ? owners.get(`external:${externalId}`) : undefined;
    const byEmail = email ? owners.get(`email:${email}`) : undefined;
    if (externalId && email && byId && byEmail && byId !== byEmail && byEmail.externalId === null) {
      const [winner, loser] = isOlder(byId, byEmail) ? [byId, byEmail] : [byEmail, byId];
      merges.push({ winner, loser });
      winner.externalId = externalId;
      winner.profile = joinProfiles(winner.profile, loser.profile);
      winner.consent = stricterConsent(winner.consent, loser.consent);
      winner.seenAt = Math.max(winner.seenAt, loser.seenAt);
      winner.firstSeen = Math.min(winner.firstSeen, loser.firstSeen);
      winner.hasMerged = true;
      for (const [name, person] of owners) if (person === loser) owners.set(name, winner);
      for (const one of gained) if (one.person === loser) one.person = winner;
      continue;
    }
    let person = byId ?? (byEmail && (!externalId || byEmail.externalId === null) ? byEmail : undefined);
    if (!person && (externalId || email)) person = create();
    if (!person) continue;
    if (externalId && !byId) gain({ kind: 'external', value: externalId }, person);
    if (email && !byEmail) gain({ kind: 'email', value: email }, person);
  }

  // someone made up in this batch who turned out to be another is never created
  const lost = new Set(merges.map((merge) => merge.loser));
  const born = fresh.filter((person) => !lost.has(person));
  const newIds = await createPeople(trx, born.length, now);
  born.forEach((person, index) => {
    (person as { id: string }).id = newIds[index]!;
    people.set(person.id, person);
  });
  const moved = new Map<string, KnownPerson>();
  for (const { winner, loser } of merges) {
    moved.set(loser.id, winner);
    if (loser.isNew) continue;
    await moveToPerson(trx, loser.id, winner.id, now);
    people.delete(loser.id);
  }
  await addIdentifiers(trx, gained.map(({ identifier, person }) => ({ ...identifier, personId: person.id })));

  return {
    people,
    ownerOf: (event) =>
      (event.externalId ? owners.get(`external:${event.externalId}`) : undefined) ??
      (event.email ? owners.get(`email:${event.email}`) : undefined) ??
      moved.get(orderOwners.get(String(event.properties.orderId)) ?? '') ??
      people.get(orderOwners.get(String(event.properties.orderId)) ?? '') ??
      null,
  };
}

function isOlder(a: KnownPerson, b: KnownPerson): boolean {
  if (a.isNew !== b.isNew) return b.isNew;
  return a.isNew ? true : BigInt(a.id) < BigInt(b.id);
}
