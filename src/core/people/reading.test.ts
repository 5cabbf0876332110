import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { countryCode, nearValues, readDate, readNumber, spellingGroups } from '.';

describe('numbers and dates as they are written around the world (reference: Unicode CLDR, through Intl)', () => {
  const LOCALES = [
    'en-GB',
    'en-US',
    'en-IN',
    'de-DE',
    'de-AT',
    'de-CH',
    'nl-NL',
    'fr-FR',
    'it-IT',
    'es-ES',
    'pt-BR',
    'sv-SE',
    'nb-NO',
    'da-DK',
    'pl-PL',
    'cs-CZ',
    'fi-FI',
  ];
  const cents = fc.integer({ min: -99_999_999_99, max: 99_999_999_99 }).map((n) => n / 100);

  it.each(LOCALES)('%s: an amount with its decimals is read as what it was', (locale) => {
    const format = new Intl.NumberFormat(locale, { minimumFractionDigits: 2, maximumFractionDigits: 2 });
    fc.assert(
      fc.property(cents, (amount) => {
        expect(readNumber(format.format(amount))).toBe(amount === 0 ? (Object.is(amount, -0) ? -0 : 0) : amount);
      }),
    );
  });

  it.each(LOCALES.filter((locale) => locale !== 'en-US'))('%s: a date, day first', (locale) => {
    const format = new Intl.DateTimeFormat(locale, { day: 'numeric', month: 'numeric', year: 'numeric', timeZone: 'UTC' });
    fc.assert(
      fc.property(
        fc.date({ min: new Date('1900-01-01T00:00:00Z'), max: new Date('2099-12-31T00:00:00Z'), noInvalidDate: true }),
        (date) => {
          // the Czech, Finnish and others put spaces after the points
          expect(readDate(format.format(date).replace(/\s/g, ''))).toBe(date.toISOString().slice(0, 10));
        },
      ),
    );
  });

  it('en-US: a date, month first', () => {
    const format = new Intl.DateTimeFormat('en-US', { day: 'numeric', month: 'numeric', year: 'numeric', timeZone: 'UTC' });
    fc.assert(
      fc.property(
        fc.date({ min: new Date('1900-01-01T00:00:00Z'), max: new Date('2099-12-31T00:00:00Z'), noInvalidDate: true }),
        (date) => {
          expect(readDate(format.format(date), false)).toBe(date.toISOString().slice(0, 10));
        },
      ),
    );
  });

  it.each(['en', 'de', 'nl', 'fr'])('the name of a country in %s is its code (ISO 3166)', (locale) => {
    const names = new Intl.DisplayNames([locale], { type: 'region' });
    const missed = [
      'NL',
      'DE',
      'BE',
      'FR',
      'GB',
      'US',
      'AT',
      'CH',
      'IT',
      'ES',
      'PL',
      'SE',
      'DK',
      'NO',
      'FI',
      'PT',
      'IE',
      'LU',
      'CZ',
      'JP',
      'CA',
      'AU',
    ].filter((code) => countryCode(names.of(code)!) !== code || countryCode(code.toLowerCase()) !== code);
    expect(missed).toEqual([]);
  });

  it.each(['1.2.3.4x', '', '-', '.', ',', '1e5', '0x10', 'NaN', 'Infinity', '٣', '1,2,3,45'])('%j is no number', (text) =>
    expect(readNumber(text)).toBeNull(),
  );
  it.each(['29.2.2025', '31-4-2026', '0/1/2026', '2026-13-01', '1/1/26', '2026', 'soon'])('%j is no date', (text) =>
    expect(readDate(text)).toBeNull(),
  );
});

describe('spellings', () => {
  it('law: every value stands in one group at most, and no group holds just the spelling to keep', () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(
          fc.constantFrom(
            'US',
            'USA',
            'usa',
            'United States',
            'NL',
            'nl',
            'Nederland',
            'Café',
            'cafe',
            'CAFE ',
            'Guppy',
            'guppy',
            '',
            'x-y',
            'x y',
          ),
        ),
        fc.constantFrom('country' as const, null),
        (values, hint) => {
          const groups = spellingGroups(
            values.map((value, index) => ({ value, count: index + 1 })),
            hint,
            null,
          );
          const all = groups.flatMap((group) => group.variants.map((variant) => variant.value));
          expect(new Set(all).size).toBe(all.length);
          for (const group of groups) expect(group.variants.some((variant) => variant.value !== group.keep)).toBe(true);
        },
      ),
    );
  });

  it('brought into what was proposed, nothing is left to point out', () => {
    const values = ['US', 'USA', 'United States', 'Nederland', 'NL', 'Holland?'].map((value, index) => ({ value, count: index + 1 }));
    const kept = new Map(
      spellingGroups(values, 'country', null).flatMap((group) => group.variants.map((variant) => [variant.value, group.keep] as const)),
    );
    const after = [...new Set(values.map(({ value }) => kept.get(value) ?? value))].map((value) => ({ value, count: 1 }));
    expect(spellingGroups(after, 'country', null)).toEqual([]);
  });
});

describe('values near to one that nobody has', () => {
  const values = ['NL', 'Netherlands', 'nederland', 'DE', 'Nether regions', ''].map((value) => ({ value, count: 1 }));
  const near = (asked: string, hint: 'country' | null = 'country') => nearValues(asked, values, hint).map(({ value }) => value);

  it('are the same country first (ISO 3166), however it is written, then what begins alike', () => {
    expect(near('netherlands')).toEqual(['NL', 'Netherlands', 'nederland']);
    expect(near('Nether', null)).toEqual(['Netherlands', 'Nether regions']);
    expect(near('NETHERLANDS', null)).toEqual(['Netherlands']);
    expect(near('Atlantis')).toEqual([]);
    expect(near('')).toEqual(['']);
  });

  it('are no more than asked for', () => {
    const many = Array.from({ length: 20 }, (_, n) => ({ value: `tank ${n}` }));
    expect(nearValues('tank', many, null)).toHaveLength(4);
  });
});
