import type { Instant } from '../time';

/**
 * How somebody is told from others. *Strong*: an external id or an email address; two people who share one are one.
 * *Weak*: a phone or a device, which households share; it belongs to whoever used it first together with something
 * strong, and joins nobody who is already known.
 */
export type StrongKind = 'external' | 'email';
export type WeakKind = 'phone' | 'device';
export interface Identifier {
  readonly kind: StrongKind | WeakKind;
  readonly value: string;
}

/** An identifier as one text, `email:robin@example.com`. */
export const identifierKey = ({ kind, value }: Identifier): string => `${kind}:${value}`;
/** The identifier of such a text. */
export function identifierOf(key: string): Identifier {
  const at = key.indexOf(':');
  return { kind: key.slice(0, at) as Identifier['kind'], value: key.slice(at + 1) };
}

/** What one event tells of whose it is. */
export interface Claim {
  readonly strong: readonly Identifier[];
  readonly weak: readonly Identifier[];
  readonly time: Instant;
}

/** Somebody as this batch knows them. `ref` is our own number, or a placeholder of somebody who is new. */
export interface Someone {
  ref: string;
  /** has anything strong: more than a phone or a device */
  isKnown: boolean;
  firstSeen: Instant;
  externalId: string | null;
  /** when the external id was first used: the oldest one is theirs */
  externalAt: Instant;
}

/** Who used a weak identifier with something strong, and when first. */
export interface WeakClaim {
  readonly by: string;
  owner: Someone;
  firstAt: Instant;
}

export interface Resolution {
  /** whose each claim is, in order; null where it says nothing */
  readonly owners: readonly (Someone | null)[];
  /** the weak identifier by which alone a claim found its owner, in order */
  readonly via: readonly (string | null)[];
  readonly created: readonly Someone[];
  readonly gained: ReadonlyMap<string, { readonly owner: Someone; readonly at: Instant }>;
  /** identifiers that were used earlier than we knew */
  readonly earlier: ReadonlyMap<string, Instant>;
  readonly merges: readonly { readonly winner: Someone; readonly loser: Someone; readonly because: string }[];
  /** what came by a weak identifier alone moves along when that turns out to be somebody else's */
  readonly handovers: readonly { readonly weak: string; readonly from: Someone; readonly to: Someone }[];
  /** claims on weak identifiers that are new or earlier than before */
  readonly claims: ReadonlyMap<string, readonly WeakClaim[]>;
}

/** What is on file before a batch. */
export interface OnFile {
  readonly owners: ReadonlyMap<string, Someone>;
  readonly firstAt: ReadonlyMap<string, Instant>;
  readonly weakClaims: ReadonlyMap<string, readonly WeakClaim[]>;
}

/** Of two people who turn out to be one, the one whose record goes on: the known one, the older, the lower number. */
export function eldest(a: Someone, b: Someone): Someone {
  if (a.isKnown !== b.isKnown) return a.isKnown ? a : b;
  if (isNew(a) !== isNew(b)) return isNew(a) ? b : a;
  if (a.firstSeen !== b.firstSeen) return a.firstSeen < b.firstSeen ? a : b;
  return Number(a.ref) < Number(b.ref) ? a : b;
}

const isNew = (one: Someone): boolean => one.ref.startsWith('new:');

/**
 * Finds out whose events are, in any order and however often they come: the same people in the end. Strong
 * identifiers join (a union-find); weak ones go to the earliest claim, and what came by them alone goes along.
 */
export function resolveIdentity(batch: readonly Claim[], onFile: OnFile): Resolution {
  const owners = new Map(onFile.owners);
  const joined = new Map<Someone, Someone>();
  const created: Someone[] = [];
  const gained = new Map<string, { owner: Someone; at: Instant }>();
  const earlier = new Map<string, Instant>();
  const merges: { winner: Someone; loser: Someone; because: string }[] = [];
  const handovers: { weak: string; from: Someone; to: Someone }[] = [];
  const weakClaims = new Map([...onFile.weakClaims].map(([key, list]) => [key, list.map((claim) => ({ ...claim }))]));
  const changedClaims = new Map<string, Set<WeakClaim>>();

  const now = (one: Someone): Someone => {
    let it = one;
    for (let next = joined.get(it); next; next = joined.get(it)) it = next;
    return it;
  };
  const ownerOf = (key: string): Someone | undefined => {
    const one = owners.get(key);
    return one && now(one);
  };
  const create = (time: Instant, isKnown: boolean): Someone => {
    const one: Someone = { ref: `new:${created.length}`, isKnown, firstSeen: time, externalId: null, externalAt: Infinity };
    created.push(one);
    return one;
  };
  const join = (a: Someone, b: Someone, because: string): Someone => {
    const winner = eldest(a, b);
    const loser = winner === a ? b : a;
    merges.push({ winner, loser, because });
    joined.set(loser, winner);
    joinInto(winner, loser);
    return winner;
  };
  const noteTime = (key: string, time: Instant): Instant => {
    const fresh = gained.get(key);
    if (fresh) {
      fresh.at = Math.min(fresh.at, time);
      return fresh.at;
    }
    const known = Math.min(earlier.get(key) ?? Infinity, onFile.firstAt.get(key) ?? Infinity);
    if (time < known) earlier.set(key, time);
    return Math.min(time, known);
  };
  /** Sees to it that a weak identifier is with whoever claims it first. */
  const settle = (key: string): void => {
    const claims = weakClaims.get(key);
    if (!claims?.length) return;
    const first = claims.reduce((a, b) => (b.firstAt < a.firstAt || (b.firstAt === a.firstAt && b.by < a.by) ? b : a));
    const owner = now(first.owner);
    const holder = ownerOf(key);
    if (!holder) {
      owners.set(key, owner);
      gained.set(key, { owner, at: first.firstAt });
    } else if (holder !== owner) {
      if (!holder.isKnown) join(holder, owner, key);
      else {
        handovers.push({ weak: key, from: holder, to: owner });
        owners.set(key, owner);
        const fresh = gained.get(key);
        if (fresh) fresh.owner = owner;
      }
    }
  };

  const found: (Someone | null)[] = [];
  const via: (string | null)[] = [];
  for (const claim of batch) {
    via.push(null);
    if (claim.strong.length) {
      const keys = claim.strong.map(identifierKey);
      const theirs = [...new Set(keys.map(ownerOf).filter((one) => one !== undefined))];
      let person = theirs[0] ?? create(claim.time, true);
      for (const other of theirs.slice(1)) person = join(person, other, keys.join(' and '));
      person.firstSeen = Math.min(person.firstSeen, claim.time);
      claim.strong.forEach((identifier, index) => {
        const key = keys[index]!;
        if (!owners.has(key)) {
          owners.set(key, person);
          gained.set(key, { owner: person, at: claim.time });
        }
        const at = noteTime(key, claim.time);
        if (identifier.kind === 'external') takeExternal(person, identifier.value, at);
      });
      for (const identifier of claim.weak) {
        const key = identifierKey(identifier);
        const by = keys[0]!;
        let list = weakClaims.get(key);
        if (!list) weakClaims.set(key, (list = []));
        let own = list.find((one) => one.by === by);
        if (!own) list.push((own = { by, owner: person, firstAt: claim.time }));
        else if (claim.time >= own.firstAt) continue;
        else own.firstAt = claim.time;
        let changed = changedClaims.get(key);
        if (!changed) changedClaims.set(key, (changed = new Set()));
        changed.add(own);
        settle(key);
        person = now(person);
      }
      found.push(person);
      continue;
    }
    const weak = claim.weak[0];
    if (!weak) {
      found.push(null);
      continue;
    }
    const key = identifierKey(weak);
    let person = ownerOf(key);
    if (!person) {
      person = create(claim.time, false);
      owners.set(key, person);
      gained.set(key, { owner: person, at: claim.time });
    }
    noteTime(key, claim.time);
    person.firstSeen = Math.min(person.firstSeen, claim.time);
    via[via.length - 1] = key;
    found.push(person);
  }

  return {
    // a weak event goes to who holds the identifier when the batch is through
    owners: found.map((one, index) => (via[index] ? ownerOf(via[index])! : one && now(one))),
    via,
    created: created.filter((one) => !joined.has(one)),
    gained: new Map([...gained].map(([key, { owner, at }]) => [key, { owner: now(owner), at }])),
    earlier,
    merges: merges.map(({ winner, loser, because }) => ({ winner: now(winner), loser, because })),
    handovers: handovers.map(({ weak, from, to }) => ({ weak, from: now(from), to: now(to) })).filter(({ from, to }) => from !== to),
    claims: new Map([...changedClaims].map(([key, set]) => [key, [...set].map((claim) => ({ ...claim, owner: now(claim.owner) }))])),
  };
}

/** What a person's record takes over from one who turns out to be the same. */
export function joinInto(winner: Someone, loser: Someone): void {
  winner.isKnown ||= loser.isKnown;
  winner.firstSeen = Math.min(winner.firstSeen, loser.firstSeen);
  if (loser.externalId !== null) takeExternal(winner, loser.externalId, loser.externalAt);
}

/** The external id that was used first is theirs; of two of the same moment the one that sorts first. */
function takeExternal(person: Someone, id: string, at: Instant): void {
  if (person.externalId === null || at < person.externalAt || (at === person.externalAt && id < person.externalId)) {
    person.externalId = id;
    person.externalAt = at;
  } else if (id === person.externalId) person.externalAt = Math.min(person.externalAt, at);
}
