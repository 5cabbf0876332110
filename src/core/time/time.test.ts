import { describe, expect, it } from 'vitest';
import {
  addDuration,
  approximateMs,
  DAY,
  durationProblem,
  HOUR,
  joinDuration,
  MINUTE,
  sayDuration,
  sayElapsed,
  splitDuration,
  subtractDuration,
  windowStart,
} from './duration';
import { isZone, localDate, parseInstant, startOfDate, startOfDay } from './zone';

const at = (text: string) => Date.parse(text);

describe('durations (ISO 8601)', () => {
  it('hours are exact, days keep the local time of day over a change of the clocks (RFC 5545 §3.3.6)', () => {
    // Europe/London went to summer time on 29 March 2026 at 01:00 UTC (IANA database)
    const evening = at('2026-03-28T18:00:00Z');
    expect(addDuration(evening, 'PT24H', 'Europe/London')).toBe(at('2026-03-29T18:00:00Z'));
    expect(addDuration(evening, 'P1D', 'Europe/London')).toBe(at('2026-03-29T17:00:00Z'));
    expect(subtractDuration(at('2026-03-29T17:00:00Z'), 'P1D', 'Europe/London')).toBe(evening);
  });

  it('knows zones whose clocks move by half an hour, and those that never do', () => {
    // Australia/Lord_Howe leaves +11:00 for +10:30 on 5 April 2026; Asia/Kathmandu is +05:45 all year (IANA database)
    expect(addDuration(at('2026-04-04T01:00:00Z'), 'P1D', 'Australia/Lord_Howe')).toBe(at('2026-04-05T01:30:00Z'));
    expect(addDuration(at('2026-04-04T01:00:00Z'), 'P1D', 'Asia/Kathmandu')).toBe(at('2026-04-05T01:00:00Z'));
    expect(startOfDay(at('2026-04-04T20:00:00Z'), 'Asia/Kathmandu')).toBe(at('2026-04-04T18:15:00Z'));
  });

  it('a local time that does not exist moves forward', () => {
    // America/New_York skips 02:00 to 03:00 on 8 March 2026 (IANA database)
    expect(addDuration(at('2026-03-07T07:30:00Z'), 'P1D', 'America/New_York')).toBe(at('2026-03-08T07:30:00Z'));
  });

  it('a local time that happens twice is the first', () => {
    // 1:30 in New York happens at 05:30 and 06:30 UTC on 1 November 2026 (IANA database)
    expect(addDuration(at('2026-10-31T05:30:00Z'), 'P1D', 'America/New_York')).toBe(at('2026-11-01T05:30:00Z'));
  });

  it('refuses what is no duration, what goes back, and what outlasts ten years', () => {
    expect(durationProblem('PT1H')).toBeNull();
    expect(durationProblem('1 hour')).toContain('ISO 8601');
    expect(durationProblem('-PT1H')).toContain('negative');
    expect(durationProblem('P11Y')).toContain('ten years');
  });

  it('says durations with the right plural', () => {
    expect(sayDuration('PT1H')).toBe('1 hour');
    expect(sayDuration('P1DT2H')).toBe('1 day 2 hours');
    expect(sayDuration('PT90M')).toBe('90 minutes');
    expect(sayElapsed(-HOUR)).toBe('−1 h');
    expect(sayElapsed(DAY + 90 * MINUTE)).toBe('1 d 1 h');
  });

  it('takes a wait apart for its editor and puts it together again', () => {
    expect(splitDuration('PT23H')).toEqual({ amount: 23, unit: 'hours' });
    expect(splitDuration('P1DT2H')).toBeNull();
    expect(joinDuration(10, 'minutes')).toBe('PT10M');
    expect(approximateMs(joinDuration(2, 'weeks'))).toBe(14 * DAY);
  });
});

describe('instants (RFC 3339)', () => {
  it('reads times with their offset', () => {
    expect(parseInstant('2026-11-24T09:30:00Z')).toBe(at('2026-11-24T09:30:00Z'));
    expect(parseInstant('2026-11-24T09:30:00.5+01:00')).toBe(at('2026-11-24T08:30:00.500Z'));
  });

  it.each([
    '2026-11-24',
    '2026-11-24T09:30:00',
    '2026-02-31T00:00:00Z',
    '2026-13-01T00:00:00Z',
    '20000-01-01T00:00:00Z',
    '1999-12-31T23:59:59Z',
    'yesterday',
    '',
  ])('refuses %j', (text) => {
    expect(parseInstant(text)).toBeNull();
  });

  it('a calendar date begins where its zone says', () => {
    expect(startOfDate('2026-11-24', 'Pacific/Auckland')).toBe(at('2026-11-23T11:00:00Z'));
    expect(startOfDate('2026-11-24', 'America/New_York')).toBe(at('2026-11-24T05:00:00Z'));
    // no midnight on 6 September 2026 in Santiago: the clocks go from 00:00 to 01:00 (IANA database)
    expect(startOfDate('2026-09-06', 'America/Santiago')).toBe(at('2026-09-06T04:00:00Z'));
    expect(startOfDate('2026-02-31', 'UTC')).toBeNull();
    expect(startOfDate('24 November', 'UTC')).toBeNull();
  });

  it('knows the zones of the IANA database', () => {
    expect(isZone('Australia/Lord_Howe')).toBe(true);
    expect(isZone('Mars/Olympus')).toBe(false);
    expect(localDate(at('2026-11-24T23:30:00Z'), 'Europe/Amsterdam')).toBe('2026-11-25');
  });
});

describe('the start of a window', () => {
  it('is what a calendar says where no clock changes, and never steps back where one does', () => {
    expect(windowStart(at('2026-11-24T12:00:00Z'), 'P30D', 'Europe/Amsterdam')).toBe(at('2026-10-25T12:00:00Z'));
    expect(windowStart(at('2026-11-24T12:00:00Z'), 'P3M', 'Europe/Amsterdam')).toBe(at('2026-08-24T11:00:00Z'));
    // 02:30 of 29 March 2026 does not exist in Amsterdam: a day after 02:30 of the 28th is the change itself, at 01:00 UTC (IANA database)
    expect(windowStart(at('2026-03-30T00:30:00Z'), 'P1D', 'Europe/Amsterdam')).toBe(at('2026-03-29T01:00:00Z'));
    expect(windowStart(at('2026-03-30T01:10:00Z'), 'P1D', 'Europe/Amsterdam')).toBe(at('2026-03-29T01:10:00Z'));
    // 02:00 to 03:00 of 25 October happens twice: while it does so again, a day before stands still
    expect(windowStart(at('2026-10-25T01:30:00Z'), 'P1D', 'Europe/Amsterdam')).toBe(at('2026-10-24T01:00:00Z'));
    // February has no 30th: the month before the 30th of March began with March
    expect(windowStart(at('2026-03-30T10:00:00Z'), 'P1M', 'Asia/Kathmandu')).toBe(at('2026-02-28T18:15:00Z'));
  });

  it('goes forward only, however one steps through a year', async () => {
    const fc = (await import('fast-check')).default;
    fc.assert(
      fc.property(
        fc.constantFrom('Europe/Amsterdam', 'America/New_York', 'Australia/Lord_Howe', 'Africa/Casablanca', 'Pacific/Apia'),
        fc.constantFrom('P1D', 'P30D', 'P1M', 'P1Y', 'P1M1DT3H'),
        fc.integer({ min: Date.UTC(2025, 0, 1), max: Date.UTC(2027, 0, 1) }),
        fc.integer({ min: 1, max: 2 * DAY }),
        (zone, last, from, step) => {
          expect(windowStart(from + step, last, zone)).toBeGreaterThanOrEqual(windowStart(from, last, zone));
        },
      ),
      { numRuns: 4000 },
    );
  });
});

describe('the short way over days', () => {
  it('comes to the same as the calendar, in zones of every kind and over every change of the clocks (checked against Temporal)', async () => {
    const { Temporal } = await import('temporal-polyfill');
    const fc = (await import('fast-check')).default;
    fc.assert(
      fc.property(
        fc.integer({ min: Date.UTC(2020, 0, 1), max: Date.UTC(2030, 0, 1) }),
        fc.constantFrom(
          'Europe/Amsterdam',
          'America/New_York',
          'Australia/Lord_Howe',
          'Asia/Kathmandu',
          'Africa/Casablanca',
          'Pacific/Apia',
        ),
        fc.constantFrom('P1D', 'P7D', 'P2W', 'P1DT5H', 'P180D'),
        fc.boolean(),
        (from, zone, duration, isForward) => {
          const zoned = Temporal.Instant.fromEpochMilliseconds(from).toZonedDateTimeISO(zone);
          const expected = (isForward ? zoned.add(duration) : zoned.subtract(duration)).epochMilliseconds;
          expect((isForward ? addDuration : subtractDuration)(from, duration, zone)).toBe(expected);
        },
      ),
      { numRuns: 3000 },
    );
  });
});
