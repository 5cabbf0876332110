import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { identifierKey, resolveIdentity, type Claim, type Identifier, type OnFile, type Someone, type WeakClaim } from './identity';

const DAY = 86_400_000;
const external = (value: string): Identifier => ({ kind: 'external', value });
const email = (value: string): Identifier => ({ kind: 'email', value });
const device = (value: string): Identifier => ({ kind: 'device', value });
const claim = (time: number, strong: Identifier[], weak: Identifier[] = []): Claim => ({ time: time * DAY, strong, weak });

/** A world that remembers what each batch resolved, as the database does: people, identifiers, claims, and whose each event is. */
function world() {
  const owners = new Map<string, Someone>();
  const firstAt = new Map<string, number>();
  const weakClaims = new Map<string, WeakClaim[]>();
  const events: { owner: Someone; via: string | null; id: number }[] = [];
  let numbers = 0;
  return {
    take(batch: readonly (Claim & { id: number })[]) {
      const onFile: OnFile = {
        owners: new Map(owners),
        firstAt: new Map(firstAt),
        weakClaims: new Map([...weakClaims].map(([key, list]) => [key, [...list]])),
      };
      const result = resolveIdentity(batch, onFile);
      for (const one of result.created) one.ref = String(++numbers);
      for (const { winner, loser } of result.merges) {
        for (const [key, one] of owners) if (one === loser) owners.set(key, winner);
        for (const event of events) if (event.owner === loser) event.owner = winner;
        for (const list of weakClaims.values()) for (const one of list) if (one.owner === loser) one.owner = winner;
      }
      for (const { weak, from, to } of result.handovers) {
        owners.set(weak, to);
        for (const event of events) if (event.owner === from && event.via === weak) event.owner = to;
      }
      for (const [key, { owner, at }] of result.gained) {
        owners.set(key, owner);
        firstAt.set(key, at);
      }
      for (const [key, at] of result.earlier) firstAt.set(key, Math.min(at, firstAt.get(key) ?? Infinity));
      for (const [key, list] of result.claims) {
        const known = weakClaims.get(key) ?? [];
        for (const one of list) weakClaims.set(key, [...known.filter((other) => other.by !== one.by), one]);
        if (list.length > 1) weakClaims.set(key, [...known.filter((other) => !list.some((one) => one.by === other.by)), ...list]);
      }
      batch.forEach(({ id }, index) => {
        const owner = result.owners[index];
        if (owner) events.push({ owner, via: result.via[index] ?? null, id });
      });
    },
    /** Who there is in the end: what each is known by, and which events are theirs. */
    end() {
      const people = new Map<Someone, { keys: string[]; events: number[]; externalId: string | null }>();
      const of = (one: Someone) =>
        people.get(one) ?? (people.set(one, { keys: [], events: [], externalId: one.externalId }), people.get(one)!);
      for (const [key, owner] of owners) of(owner).keys.push(key);
      for (const { owner, id } of events) of(owner).events.push(id);
      return [...people.values()]
        .map((one) => ({ ...one, keys: one.keys.sort(), events: one.events.sort((a, b) => a - b) }))
        .sort((a, b) => (a.keys.join() < b.keys.join() ? -1 : 1));
    },
  };
}
const after = (...claims: Claim[]) => {
  const it = world();
  claims.forEach((one, id) => it.take([{ ...one, id }]));
  return it.end();
};

describe('whose it is', () => {
  it('a device that browses is nobody in particular until somebody is known on it; then its past is theirs', () => {
    expect(after(claim(1, [], [device('d1')]), claim(2, [], [device('d1')]), claim(3, [email('a')], [device('d1')]))).toEqual([
      { keys: ['device:d1', 'email:a'], events: [0, 1, 2], externalId: null },
    ]);
  });

  it('a device shared by two joins nobody: what it does alone is with whoever was first on it', () => {
    expect(after(claim(2, [email('a')], [device('d1')]), claim(3, [email('b')], [device('d1')]), claim(4, [], [device('d1')]))).toEqual([
      { keys: ['device:d1', 'email:a'], events: [0, 2], externalId: null },
      { keys: ['email:b'], events: [1], externalId: null },
    ]);
  });

  it('an earlier claim that arrives late takes the device over, and what came by it alone', () => {
    expect(after(claim(3, [email('b')], [device('d1')]), claim(4, [], [device('d1')]), claim(2, [email('a')], [device('d1')]))).toEqual([
      { keys: ['device:d1', 'email:a'], events: [1, 2], externalId: null },
      { keys: ['email:b'], events: [0], externalId: null },
    ]);
  });

  it('of several external ids of one person the one used first is theirs', () => {
    expect(after(claim(5, [external('new'), email('a')]), claim(1, [external('old'), email('a')]))).toEqual([
      { keys: ['email:a', 'external:new', 'external:old'], events: [0, 1], externalId: 'old' },
    ]);
  });

  it('an event that says nothing of whose it is belongs to nobody', () => {
    expect(resolveIdentity([claim(1, [])], { owners: new Map(), firstAt: new Map(), weakClaims: new Map() }).owners).toEqual([null]);
  });
});

it('law: any order, any repetition and any batches of the same events end in the same people with the same events', () => {
  const strong = fc.oneof(
    fc.constantFrom('c1', 'c2', 'c3').map((value) => [external(value)]),
    fc.constantFrom('a', 'b', 'c').map((value) => [email(value)]),
    fc
      .tuple(fc.constantFrom('c1', 'c2', 'c3'), fc.constantFrom('a', 'b', 'c'))
      .map(([one, other]): Identifier[] => [external(one), email(other)]),
    fc.constant<Identifier[]>([]),
  );
  const weak = fc.oneof(
    fc.constant<Identifier[]>([]),
    fc.constantFrom('d1', 'd2').map((value): Identifier[] => [device(value)]),
    fc.constantFrom('+1', '+2').map((value): Identifier[] => [{ kind: 'phone', value }]),
    fc.constantFrom('d1', 'd2').map((value): Identifier[] => [{ kind: 'phone', value: '+1' }, device(value)]),
  );
  const story = fc
    .array(fc.tuple(strong, weak, fc.integer({ min: 1, max: 9 })), { minLength: 2, maxLength: 9 })
    .map((list) => list.map(([s, w, time], id) => ({ ...claim(time, s, w), id })).filter((one) => one.strong.length || one.weak.length));
  const cut = (list: readonly (Claim & { id: number })[], size: number) =>
    Array.from({ length: Math.ceil(list.length / size) }, (_, i) => list.slice(i * size, (i + 1) * size));
  fc.assert(
    fc.property(
      story.chain((list) => fc.tuple(fc.constant(list), fc.shuffledSubarray(list, { minLength: list.length }))),
      fc.integer({ min: 1, max: 4 }),
      fc.integer({ min: 1, max: 4 }),
      ([list, shuffled], one, other) => {
        const [first, second] = [world(), world()];
        for (const batch of cut(list, one)) first.take(batch);
        for (const batch of cut(shuffled, other)) second.take(batch);
        expect(second.end()).toEqual(first.end());
        // told again, nothing changes but that there are more events
        const told = first.end().map(({ keys, externalId }) => ({ keys, externalId }));
        for (const batch of cut(shuffled, other)) first.take(batch);
        expect(first.end().map(({ keys, externalId }) => ({ keys, externalId }))).toEqual(told);
      },
    ),
    { numRuns: 3000 },
  );
});

it('an identifier as one text and back', () => {
  expect(identifierKey(email('a:b@example.com'))).toBe('email:a:b@example.com');
});
