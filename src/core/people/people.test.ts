import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { EMPTY_PROFILE, joinProfiles, laterConsent, learn, normaliseEmail, stricterConsent, type ConsentState } from './person';

describe('what is known of a person', () => {
  it('the newest word wins, whatever the order of arrival; silence says nothing', () => {
    const profile = learn(learn(EMPTY_PROFILE, { country: 'NL' }, 20), { country: 'DE', firstName: 'Robin' }, 10);
    expect(profile.attributes).toEqual({ country: 'NL', firstName: 'Robin' });
    expect(learn(profile, { country: '', firstName: null }, 30)).toBe(profile);
  });

  it('any order and repetition of the same words ends in the same profile, and joining two halves does too', () => {
    const said = fc.array(
      fc.tuple(
        fc.dictionary(fc.constantFrom('a', 'b', 'c'), fc.oneof(fc.string({ maxLength: 2 }), fc.integer({ min: 0, max: 3 }))),
        fc.integer({ min: 0, max: 3 }),
      ),
      { maxLength: 8 },
    );
    const tell = (list: [Record<string, string | number>, number][]) =>
      list.reduce((profile, [words, at]) => learn(profile, words, at), EMPTY_PROFILE);
    fc.assert(
      fc.property(said, fc.nat(), (list, seed) => {
        const shuffled = [...list, ...list]
          .map((one, i) => [(i * 7919 + seed) % 101, one] as const)
          .sort(([a], [b]) => a - b)
          .map(([, one]) => one);
        const whole = tell(list);
        expect(tell(shuffled)).toEqual(whole);
        const half = Math.floor(list.length / 2);
        expect(joinProfiles(tell(list.slice(0, half)), tell(list.slice(half)))).toEqual(whole);
      }),
    );
  });

  it('of consent the later word counts, of two of one moment the stricter; merged people keep the stricter', () => {
    const given: ConsentState = { state: 'given', at: 2 };
    const withdrawn: ConsentState = { state: 'withdrawn', at: 1 };
    expect(laterConsent(given, withdrawn)).toBe(given);
    expect(laterConsent({ ...given, at: 1 }, withdrawn)).toBe(withdrawn);
    expect(laterConsent(null, given)).toBe(given);
    expect(stricterConsent(given, withdrawn)).toBe(withdrawn);
    expect(stricterConsent(given, null)).toBe(given);
  });
});

describe('email addresses (RFC 5321 §4.5.3.1 for their length)', () => {
  it.each([
    [' Robin@Example.COM ', 'robin@example.com'],
    ['a+b.c@example.org', 'a+b.c@example.org'],
    ['ü@exämple.com', 'ü@exämple.com'],
  ])('reads %j', (text, email) => {
    expect(normaliseEmail(text)).toBe(email);
  });
  it.each([
    '',
    'robin',
    '@example.com',
    'a@b',
    'a b@example.com',
    'a@b@example.com',
    'a\n@example.com',
    'a@example.com\r\nBcc: x@example.com',
    '.a@example.com',
    'a..b@example.com',
    'a@-example.com',
    `${'a'.repeat(65)}@example.com`,
    `a@${'b'.repeat(250)}.com`,
  ])('refuses %j', (text) => {
    expect(normaliseEmail(text)).toBeNull();
  });
});
