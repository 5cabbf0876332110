import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Value } from '../rules';
import { attributesToKeep, externalIdProblem, joinProfiles, MOST_ATTRIBUTES, MOST_NAMES, OWN_ATTRIBUTES, type Profile } from '.';

const many = (count: number, prefix = 'a', value: Value = 1): Record<string, Value> =>
  Object.fromEntries(Array.from({ length: count }, (_, n) => [`${prefix}${n}`, value]));
const nobodyHas = () => false;

describe('what is said of a person', () => {
  it.each(['', ' ', '9lives', 'a b', 'x'.repeat(81), '__proto__', 'a\u0000', 'ß!', '{"a":1}'])(
    'under the name %j becomes no attribute and is not lost',
    (name) => {
      const said = JSON.parse(`{${JSON.stringify(name)}: "kept", "firstName": "Vera"}`) as Record<string, Value>;
      const { kept, left } = attributesToKeep(said, {}, nobodyHas, MOST_NAMES);
      expect(Object.keys(kept)).toEqual(['firstName']);
      expect(Object.getOwnPropertyNames({ ...left }).concat(name === '__proto__' ? ['__proto__'] : [])).toContain(name);
    },
  );

  it('beyond what a person may have stays with the event; what Viatic lives by is always taken in', () => {
    const { kept, left } = attributesToKeep({ ...many(3, 'new'), email: 'vera@example.com' }, many(MOST_ATTRIBUTES - 1), () => true, 0);
    expect(Object.keys(kept).sort()).toEqual(['email', 'new0']);
    expect(Object.keys(left).sort()).toEqual(['new1', 'new2']);
  });

  it('under names that nobody has met is taken over only while the store has room for names', () => {
    const { kept, left } = attributesToKeep(many(5, 'new'), {}, (name) => name === 'new4', 2);
    expect(Object.keys(kept).sort()).toEqual(['new0', 'new1', 'new4']);
    expect(Object.keys(left).sort()).toEqual(['new2', 'new3']);
  });

  it('what they have already is written anew however full they are', () => {
    expect(attributesToKeep({ a3: 2 }, many(MOST_ATTRIBUTES), () => true, 0)).toEqual({ kept: { a3: 2 }, left: {} });
  });

  it('law: nothing is lost and nothing is there twice', () => {
    fc.assert(
      fc.property(
        fc.dictionary(fc.string({ maxLength: 8 }), fc.integer()),
        fc.dictionary(fc.string({ maxLength: 4 }), fc.integer()),
        fc.nat(4),
        (said, onFile, room) => {
          const { kept, left } = attributesToKeep(said, onFile, nobodyHas, room);
          expect([...Object.entries(kept), ...Object.entries(left)].sort()).toEqual(Object.entries(said).sort());
        },
      ),
    );
  });
});

describe('two profiles that become one', () => {
  const profile = (attributes: Record<string, Value>, at: number): Profile => ({
    attributes,
    stamped: Object.fromEntries(Object.keys(attributes).map((name, n) => [name, at + n])),
  });

  it('keep at most what a person may have, the newest of the other’s first, and never lose an address', () => {
    const joined = joinProfiles(profile(many(MOST_ATTRIBUTES - 2), 0), profile({ ...many(10, 'b'), email: 'vera@example.com' }, 1000));
    expect(Object.keys(joined.attributes)).toHaveLength(MOST_ATTRIBUTES);
    expect(joined.attributes).toMatchObject({ email: 'vera@example.com', b9: 1 });
    expect(joined.attributes.b0).toBeUndefined();
    expect([...OWN_ATTRIBUTES]).toContain('email');
  });

  it('take time in proportion to their size: ten times as many are not a hundred times as long', () => {
    const time = (count: number): number => {
      const [a, b] = [profile(many(count), 0), profile(many(count, 'a', 2), 5)];
      const began = performance.now();
      for (let i = 0; i < 5; i++) joinProfiles(a, b);
      return performance.now() - began;
    };
    time(500);
    // quadratic, 20,000 took minutes: the bound is wide, the fault was a thousandfold
    expect(time(20_000)).toBeLessThan(5000);
  });
});

describe('an external id', () => {
  it.each(['.', '..', '~', '~12', '~x'])('%j is refused', (id) => expect(externalIdProblem(id)).not.toBeNull());
  it.each(['12', 'cust-7', '100%', 'a/b', '...', 'a~12', ' ', 'é', '鱼'])('%j can be told', (id) =>
    expect(externalIdProblem(id)).toBeNull(),
  );
});
