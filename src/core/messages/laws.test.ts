import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { NO_REACH, type Reach } from '../rules';
import { notSentBecause } from './message';
import { personalise, withoutFallback } from './personalise';
import { hostile } from './testing/hostile';

describe('parts', () => {
  it('what is filled in is never read as a placeholder again', () => {
    fc.assert(
      fc.property(hostile, (note) => {
        expect(personalise('[{{ person.note }}]', { person: { note }, event: {}, store: { name: '', address: '' } })).toBe(`[${note}]`);
      }),
    );
  });

  it('a placeholder without a fallback is found wherever it stands, with one it is not', () => {
    fc.assert(
      fc.property(
        fc.stringMatching(/^[a-z][A-Za-z0-9]{0,8}$/),
        hostile.filter((text) => !/[{}]/.test(text)),
        (name, around) => {
          expect(withoutFallback(`${around}{{ person.${name} }}${around}`)).toEqual([`person.${name}`]);
          expect(withoutFallback(`${around}{{ person.${name} | fallback: "x" }}${around}`)).toEqual([]);
        },
      ),
    );
  });

  it('marketing goes to whoever can be reached and wants the topic, service to whoever has an address', () => {
    const reach: fc.Arbitrary<Reach> = fc.record({
      hasAddress: fc.boolean(),
      state: fc.constantFrom('given', 'withdrawn', 'unknown'),
      suppressed: fc.constantFrom(null, 'bounced'),
      pausedUntil: fc.constantFrom(null, 50, 150),
    });
    fc.assert(
      fc.property(reach, fc.boolean(), fc.boolean(), (one, isDeclined, hasTopic) => {
        const declined = isDeclined ? ['plants'] : ['other'];
        expect(notSentBecause({ kind: 'service' }, one, declined, 100) === null).toBe(one.hasAddress);
        const may =
          one.hasAddress &&
          one.state === 'given' &&
          one.suppressed === null &&
          (one.pausedUntil === null || one.pausedUntil <= 100) &&
          !(hasTopic && isDeclined);
        expect(notSentBecause({ kind: 'marketing', ...(hasTopic && { topic: 'plants' }) }, one, declined, 100) === null).toBe(may);
      }),
    );
    expect(notSentBecause({ kind: 'service' }, NO_REACH, [], 0)).toBe('no email address on file');
  });
});
