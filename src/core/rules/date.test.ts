import fc from 'fast-check';
import { Temporal } from 'temporal-polyfill';
import { describe, expect, it } from 'vitest';
import { anniversary, dayAt, dayNumber, startOfDayNumber } from '../time';
import { factsOf } from './facts';
import { verdict } from './look';
import { ruleSchema } from './rule';
import { sayRule, sayWho } from './sentence';
import { type Test } from './tests';

const DAY = 86_400_000;
const date = (more: object, name = 'born'): Test => ({ test: 'date', name, yearly: false, ...more }) as Test;
const at = (moment: string) => Date.parse(moment);
const holds = (test: Test, born: string, moment: string, zone = 'Europe/Amsterdam') =>
  verdict(test, factsOf('1', { attributes: { born } }), { now: at(moment), zone }).holds;

describe('days of the calendar', () => {
  it('are numbers that agree with Temporal (TC39), from the year 1 to 9999', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 9999 }),
        fc.integer({ min: 0, max: 13 }),
        fc.integer({ min: 0, max: 32 }),
        (year, month, day) => {
          const text = `${String(year).padStart(4, '0')}-${String(month).padStart(2, '0')}-${String(day).padStart(2, '0')}`;
          let plain: Temporal.PlainDate | null = null;
          try {
            plain = Temporal.PlainDate.from({ year, month, day }, { overflow: 'reject' });
          } catch {
            // no such day
          }
          expect(dayNumber(text)).toBe(plain && Temporal.PlainDate.from('1970-01-01').until(plain, { largestUnit: 'days' }).days);
        },
      ),
      { numRuns: 1000 },
    );
    for (const text of ['2026-02-30', '0000-01-01', '2026-1-1', '', '2026-11-24T10:00:00Z', ' 2026-11-24'])
      expect(dayNumber(text)).toBeNull();
  });

  it('29 February is the 28th in years that have none', () => {
    const leap = dayNumber('1996-02-29')!;
    expect(anniversary(leap, 2027)).toBe(dayNumber('2027-02-28'));
    expect(anniversary(leap, 2028)).toBe(dayNumber('2028-02-29'));
    // 1900 was no leap year, 2000 was
    expect(anniversary(leap, 1900)).toBe(dayNumber('1900-02-28'));
    expect(anniversary(leap, 2000)).toBe(dayNumber('2000-02-29'));
  });

  it('begin at midnight of the zone, or where the clocks leap over it at the first moment there is', () => {
    expect(startOfDayNumber(dayNumber('2026-11-24')!, 'Europe/Amsterdam')).toBe(at('2026-11-23T23:00:00Z'));
    // Beirut, 29 March 2026: the clocks go from midnight to one (IANA)
    expect(startOfDayNumber(dayNumber('2026-03-29')!, 'Asia/Beirut')).toBe(at('2026-03-28T22:00:00Z'));
    expect(dayAt(at('2026-11-23T23:00:00Z'), 'Europe/Amsterdam')).toBe(dayNumber('2026-11-24'));
  });
});

describe('a day on file against today', () => {
  it('a birthday within 7 days, over the end of the year too, both days counted in', () => {
    const birthday = date({ yearly: true, from: 0, to: 7 });
    expect(holds(birthday, '1990-11-24', '2026-11-24T10:00:00Z')).toBe(true);
    expect(holds(birthday, '1990-12-01', '2026-11-24T10:00:00Z')).toBe(true);
    expect(holds(birthday, '1990-12-02', '2026-11-24T10:00:00Z')).toBe(false);
    expect(holds(birthday, '1990-11-23', '2026-11-24T10:00:00Z')).toBe(false);
    expect(holds(birthday, '1990-01-02', '2026-12-30T10:00:00Z')).toBe(true);
    expect(holds(birthday, '1996-02-29', '2026-02-25T10:00:00Z')).toBe(true);
  });

  it('goes by the store’s calendar: it is the next day there before it is in London', () => {
    const today = date({ from: 0, to: 0 });
    expect(holds(today, '2026-11-24', '2026-11-23T23:30:00Z')).toBe(true);
    expect(holds(today, '2026-11-24', '2026-11-23T23:30:00Z', 'Europe/London')).toBe(false);
  });

  it('law: the answer holds until the moment it names, and where it names one it is the beginning of a day', () => {
    const bounds = fc.tuple(fc.integer({ min: -20, max: 20 }), fc.integer({ min: 0, max: 20 }));
    const zone = fc.constantFrom('Europe/Amsterdam', 'America/New_York', 'Australia/Lord_Howe', 'Asia/Kathmandu', 'Asia/Beirut');
    fc.assert(
      fc.property(
        bounds,
        fc.boolean(),
        fc.integer({ min: -40, max: 400 }),
        fc.integer({ min: 0, max: 3 * 365 * 24 * 4 }),
        zone,
        ([from, length], yearly, ahead, quarter, where) => {
          const now = at('2026-01-01T00:00:00Z') + quarter * 900_000;
          const born = new Date(now + ahead * DAY).toISOString().slice(0, 10);
          const test = date({ yearly, from, to: from + length });
          const look = (moment: number) => verdict(test, factsOf('1', { attributes: { born } }), { now: moment, zone: where });
          const { holds: is, until } = look(now);
          if (until === null) {
            expect(look(now + 700 * DAY).holds).toBe(is);
            return;
          }
          expect(until).toBeGreaterThan(now);
          expect(look(until - 1).holds).toBe(is);
          expect(dayAt(until - 1, where)).toBe(dayAt(until, where) - 1);
          for (const part of [0.1, 0.5, 0.9]) expect(look(Math.floor(now + (until - now) * part)).holds).toBe(is);
        },
      ),
      { numRuns: 400 },
    );
  });

  it('says how far off, in words', () => {
    const says = (more: object) => sayRule(date(more));
    expect(says({ yearly: true, from: 0, to: 7 })).toBe('born comes round in the next 7 days');
    expect(says({ from: 0, to: 0 })).toBe('born is today');
    expect(says({ from: -30, to: 0 })).toBe('born is in the last 30 days');
    expect(says({ to: -31 })).toBe('born is 31 days ago or longer');
    expect(says({ from: 1 })).toBe('born is after today');
    expect(says({ from: 3, to: 5 })).toBe('born is in 3 to 5 days');
    expect(says({ from: -5, to: -3 })).toBe('born is 3 to 5 days ago');
    expect(says({ from: -1, to: 1 })).toBe('born is from 1 day ago to 1 day ahead');
    expect(sayWho(date({ yearly: true, from: 0, to: 1 }))).toBe('whose born comes round in the next 1 day');
  });

  it('needs days, in order; a day of each year needs both, within a year', () => {
    const wrong = (more: object) => ruleSchema.safeParse(date(more)).success;
    expect([{}, { from: 3, to: 1 }, { yearly: true, from: 0 }, { yearly: true, from: -400, to: 0 }, { from: 1.5 }].map(wrong)).toEqual(
      new Array(5).fill(false),
    );
    expect([{ from: 0 }, { to: 0 }, { yearly: true, from: -7, to: 7 }].map(wrong)).toEqual([true, true, true]);
  });
});
