import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  boxFor,
  checkoutBoxSchema,
  countryCode,
  fitAttribute,
  isOfficeMailbox,
  keptAttributes,
  mayTickBeforehand,
  normalisePhone,
  readDate,
  readNumber,
  spellingGroups,
  type AttributeRecord,
} from '.';

describe('countries, phones, dates and numbers as people write them', () => {
  it.each([
    ['US', 'US'],
    ['usa', 'US'],
    ['United States', 'US'],
    ['United States of America', 'US'],
    ['U.S.A.', 'US'],
    ['Verenigde Staten', 'US'],
    ['The Netherlands', 'NL'],
    ['Holland', 'NL'],
    ['Deutschland', 'DE'],
    ['Österreich', 'AT'],
    ['uk', 'GB'],
    ['Atlantis', null],
    ['', null],
  ])('the country %j is %j (ISO 3166 alpha-2)', (text, code) => {
    expect(countryCode(text)).toBe(code);
  });

  it.each([
    // ITU-T E.164 §6: + and up to 15 digits; the British numbers are those that Ofcom keeps free for stories
    ['07700 900123', 'GB', '+447700900123'],
    ['+44 (0)7700 900 123', null, '+447700900123'],
    ['0044 7700 900123', 'NL', '+447700900123'],
    ['06-12345678', 'NL', '+31612345678'],
    ['12', 'NL', null],
    ['1'.repeat(400), 'NL', null],
    ['call me', 'NL', null],
  ])('the phone %j of %j is %j', (text, country, number) => {
    expect(normalisePhone(text, country)).toBe(number);
  });

  it.each([
    ['2026-03-01', '2026-03-01'],
    ['1/3/2026', '2026-03-01'],
    ['01.03.2026', '2026-03-01'],
    ['29/2/2024', '2024-02-29'],
    ['29/2/2026', null],
    ['2026-13-01', null],
    ['soon', null],
  ])('the date %j is %j (ISO 8601)', (text, date) => {
    expect(readDate(text)).toBe(date);
  });
  it('month first where that is said', () => expect(readDate('3/1/2026', false)).toBe('2026-03-01'));

  it.each([
    ['1234.5', 1234.5],
    ['1,234.50', 1234.5],
    ['1.234,50', 1234.5],
    ['1 234', 1234],
    ['1,234', 1234],
    ['12,5', 12.5],
    ['1.234.567', 1234567],
    ['-3', -3],
    ['', null],
    ['12a', null],
    ['.', null],
  ])('the number %j is %j', (text, number) => {
    expect(readNumber(text)).toBe(number);
  });

  it('an office’s mailbox is told from a person’s (RFC 2142)', () => {
    expect(['info@example.com', 'postmaster@example.com', 'abuse@example.com'].every(isOfficeMailbox)).toBe(true);
    expect(isOfficeMailbox('informer@example.com')).toBe(false);
  });
});

describe('typed attributes', () => {
  it.each([
    ['number', '12,5', 12.5],
    ['yesno', 'ja', true],
    ['yesno', 'off', false],
    ['yesno', 'perhaps', undefined],
    ['date', '3.4.2026', '2026-04-03'],
    ['moment', '2026-04-03T10:00:00+02:00', '2026-04-03T08:00:00.000Z'],
    ['texts', 'a, b;c', ['a', 'b', 'c']],
    ['place', '52.37, 4.89', { latitude: 52.37, longitude: 4.89 }],
    ['place', '95, 4', undefined],
    ['text', 7, '7'],
    ['money', 'free', undefined],
  ] as const)('a %s takes %j as %j', (type, value, fitted) => {
    expect(fitAttribute(type, value)).toEqual(fitted);
  });

  it('an old name lands under the new one, a retired one nowhere, and what does not fit is kept as it was said', () => {
    const records = new Map<string, AttributeRecord>([
      ['tanks', { name: 'tanks', type: 'number', isDeclared: true, goesTo: null, isRetired: false }],
      ['nr_tanks', { name: 'nr_tanks', type: 'text', isDeclared: false, goesTo: 'tanks', isRetired: false }],
      ['old', { name: 'old', type: 'text', isDeclared: false, goesTo: null, isRetired: true }],
    ]);
    expect(keptAttributes({ nr_tanks: '3', old: 'x', free: 'y' }, records)).toEqual({ tanks: 3, free: 'y' });
    expect(keptAttributes({ tanks: 'many' }, records)).toEqual({ tanks: 'many' });
  });

  it('fitting twice is fitting once', () => {
    fc.assert(
      fc.property(
        fc.constantFrom('text', 'number', 'yesno', 'date', 'moment', 'place', 'texts'),
        fc.oneof(fc.string(), fc.integer(), fc.boolean()),
        (type, value) => {
          const once = fitAttribute(type as 'text', value);
          if (once !== undefined) expect(fitAttribute(type as 'text', once)).toEqual(once);
        },
      ),
    );
  });
});

describe('spellings of the same', () => {
  it('are pointed out with the standard form to keep, or the most frequent one', () => {
    expect(
      spellingGroups(
        [
          { value: 'US', count: 5 },
          { value: 'USA', count: 9 },
          { value: 'United States', count: 1 },
          { value: 'NL', count: 3 },
        ],
        'country',
        null,
      ),
    ).toEqual([
      {
        keep: 'US',
        because: 'all mean United States (ISO 3166)',
        variants: [
          { value: 'USA', count: 9 },
          { value: 'US', count: 5 },
          { value: 'United States', count: 1 },
        ],
      },
    ]);
    expect(
      spellingGroups(
        [
          { value: 'Gold', count: 2 },
          { value: 'gold ', count: 7 },
          { value: 'GÖLD', count: 1 },
          { value: 'Silver', count: 1 },
        ],
        null,
        null,
      ),
    ).toMatchObject([{ keep: 'gold ', variants: [{ value: 'gold ' }, { value: 'Gold' }, { value: 'GÖLD' }] }]);
  });
});

describe('the box at the checkout', () => {
  const box = checkoutBoxSchema.parse({
    everywhere: { ticked: true, wording: 'Yes' },
    countries: { US: { ticked: true, wording: 'Sure' } },
  });
  it('may stand ticked only where the law allows it: never in the EU (C-673/17)', () => {
    expect(mayTickBeforehand('DE')).toBe(false);
    expect([boxFor(box, 'US'), boxFor(box, 'NL'), boxFor(box, null)]).toEqual([
      { ticked: true, wording: 'Sure' },
      { ticked: false, wording: 'Yes' },
      { ticked: false, wording: 'Yes' },
    ]);
    expect(checkoutBoxSchema.safeParse({ ...box, countries: { FR: { ticked: true, wording: 'Oui' } } }).success).toBe(false);
  });
});
