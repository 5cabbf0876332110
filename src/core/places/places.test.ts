import { getDistance, getPreciseDistance } from 'geolib';
import iso from 'i18n-iso-countries';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { COUNTRY_GROUPS, countryCode, distanceKm, EARTH_KM, MILE_KM, placeKey, readCountries, spellingsOf } from '.';

const point = fc.record({
  latitude: fc.double({ min: -90, max: 90, noNaN: true }),
  longitude: fc.double({ min: -180, max: 180, noNaN: true }),
});

describe('distances', () => {
  it('are those of a sphere as geolib computes them, on its radius; and within 0.57 % of its ellipsoid (WGS 84, Vincenty)', () => {
    fc.assert(
      fc.property(point, point, (a, b) => {
        const metres = (distanceKm(a, b) / EARTH_KM) * 6_378_137;
        expect(Math.abs(getDistance(a, b, 1) - metres)).toBeLessThan(2);
        // Vincenty's formula does not come to an end for places on opposite sides of the earth
        if (metres < 19_900_000) {
          const precise = getPreciseDistance(a, b, 1);
          if (precise > 100_000) expect(Math.abs(precise - distanceKm(a, b) * 1000) / precise).toBeLessThan(0.0057);
        }
      }),
      { numRuns: 2000 },
    );
  });

  it('of known places: Amsterdam to London some 358 km, to Sydney some 16,600 km (great-circle tables, from memory)', () => {
    const amsterdam = { latitude: 52.3731, longitude: 4.8922 };
    expect(distanceKm(amsterdam, { latitude: 51.5074, longitude: -0.1278 })).toBeCloseTo(357.5, -1);
    expect(distanceKm(amsterdam, { latitude: -33.8688, longitude: 151.2093 }) / 16_650).toBeCloseTo(1, 1);
    // the two ends of a diameter
    expect(distanceKm({ latitude: 0, longitude: 0 }, { latitude: 0, longitude: 180 })).toBeCloseTo(Math.PI * EARTH_KM, 3);
    // an international mile (1959 agreement)
    expect(MILE_KM).toBe(1.609344);
  });
});

describe('groups of countries', () => {
  it('the EU has 27 since 1 February 2020, the EEA three more (europa.eu; EEA Agreement), all of them in ISO 3166', () => {
    const { EU, EEA } = COUNTRY_GROUPS;
    expect(EU!.codes).toHaveLength(27);
    expect(EEA!.codes).toHaveLength(30);
    expect(EEA!.codes.filter((code) => !EU!.codes.includes(code)).sort()).toEqual(['IS', 'LI', 'NO']);
    for (const code of EEA!.codes) expect(iso.isValid(code), code).toBe(true);
    for (const code of ['GB', 'CH', 'TR', 'UA']) expect(EEA!.codes).not.toContain(code);
    // Greece is GR, whatever else is in use (ISO 3166-1)
    expect(EU!.codes).toContain('GR');
  });

  it('a country is named by its codes and English names, in three ways of writing', () => {
    expect(spellingsOf('NL')).toEqual(expect.arrayContaining(['NL', 'nl', 'NLD', 'Netherlands', 'NETHERLANDS', 'netherlands']));
    // nobody is named twice
    const all = Object.keys(iso.getAlpha2Codes()).flatMap((code) => spellingsOf(code).map((name) => [name, code] as const));
    const byName = new Map<string, Set<string>>();
    for (const [name, code] of all) byName.set(name, (byName.get(name) ?? new Set()).add(code));
    expect([...byName].filter(([, codes]) => codes.size > 1)).toEqual([]);
  });

  it('are read from a list as somebody writes it; what is no country is said', () => {
    expect(readCountries('NL, belgium;\nLuxembourg, NL, Atlantis')).toEqual({ codes: ['NL', 'BE', 'LU'], unknown: ['Atlantis'] });
    expect(countryCode('Nederland')).toBe('NL');
  });
});

it('a postcode is looked up in capitals and without spaces', () => expect(placeKey('NL', ' 1017 ab')).toBe('NL/1017AB'));
