import { describe, expect, it } from 'vitest';
import { nextRecurrence, recurrenceProblem, sayRecurrence } from './recurrence';

const NEW_YORK = 'America/New_York';
const at = (text: string) => Date.parse(text);

/** The first moments of a recurrence, from before its start on. */
function first(rule: string, starts: string, count: number, zone = NEW_YORK): string[] {
  const found: string[] = [];
  let after = at(`${starts}:00Z`) - 2 * 86_400_000;
  for (let n = 0; n < count; n++) {
    const next = nextRecurrence(rule, starts, after, zone);
    if (next === null) break;
    found.push(new Date(next).toISOString().slice(0, 16));
    after = next;
  }
  return found;
}
const days = (rule: string, count: number, starts = '1997-09-02T09:00') => first(rule, starts, count).map((one) => one.slice(5, 10));

describe('recurrences', () => {
  // the examples of RFC 5545 §3.8.5.3, all from 2 September 1997, 9:00 in New York, where it says no other
  it('come round as the examples of RFC 5545 say', () => {
    expect(days('FREQ=DAILY;COUNT=10', 12)).toEqual([
      '09-02',
      '09-03',
      '09-04',
      '09-05',
      '09-06',
      '09-07',
      '09-08',
      '09-09',
      '09-10',
      '09-11',
    ]);
    expect(first('FREQ=DAILY;UNTIL=19971224T000000Z', '1997-09-02T09:00', 200)).toHaveLength(113);
    expect(days('FREQ=DAILY;INTERVAL=2', 5)).toEqual(['09-02', '09-04', '09-06', '09-08', '09-10']);
    expect(days('FREQ=DAILY;INTERVAL=10;COUNT=5', 9)).toEqual(['09-02', '09-12', '09-22', '10-02', '10-12']);
    expect(days('FREQ=WEEKLY;COUNT=10', 12)).toEqual([
      '09-02',
      '09-09',
      '09-16',
      '09-23',
      '09-30',
      '10-07',
      '10-14',
      '10-21',
      '10-28',
      '11-04',
    ]);
    expect(days('FREQ=WEEKLY;COUNT=10;WKST=SU;BYDAY=TU,TH', 12)).toEqual([
      '09-02',
      '09-04',
      '09-09',
      '09-11',
      '09-16',
      '09-18',
      '09-23',
      '09-25',
      '09-30',
      '10-02',
    ]);
    expect(days('FREQ=WEEKLY;INTERVAL=2;WKST=SU;COUNT=8;BYDAY=TU,TH', 9)).toEqual([
      '09-02',
      '09-04',
      '09-16',
      '09-18',
      '09-30',
      '10-02',
      '10-14',
      '10-16',
    ]);
    expect(days('FREQ=MONTHLY;COUNT=10;BYDAY=1FR', 4, '1997-09-05T09:00')).toEqual(['09-05', '10-03', '11-07', '12-05']);
    expect(days('FREQ=MONTHLY;COUNT=6;BYDAY=-2MO', 6, '1997-09-22T09:00')).toEqual(['09-22', '10-20', '11-17', '12-22', '01-19', '02-16']);
    expect(days('FREQ=MONTHLY;BYMONTHDAY=-3', 6, '1997-09-28T09:00')).toEqual(['09-28', '10-29', '11-28', '12-29', '01-29', '02-26']);
    expect(days('FREQ=MONTHLY;BYDAY=FR;BYMONTHDAY=13', 4)).toEqual(['02-13', '03-13', '11-13', '08-13']);
    expect(days('FREQ=YEARLY;COUNT=10;BYMONTH=6,7', 4, '1997-06-10T09:00')).toEqual(['06-10', '07-10', '06-10', '07-10']);
    expect(first('FREQ=MONTHLY;COUNT=3;BYDAY=TU,WE,TH;BYSETPOS=3', '1997-09-04T09:00', 5).map((one) => one.slice(5, 10))).toEqual([
      '09-04',
      '10-07',
      '11-06',
    ]);
    // days that a month does not have are passed over
    expect(days('FREQ=MONTHLY;BYMONTHDAY=15,30;COUNT=5', 6, '2007-01-15T09:00')).toEqual(['01-15', '01-30', '02-15', '03-15', '03-30']);
    // the difference that WKST makes
    expect(days('FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=MO', 5, '1997-08-05T09:00')).toEqual(['08-05', '08-10', '08-19', '08-24']);
    expect(days('FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=SU', 5, '1997-08-05T09:00')).toEqual(['08-05', '08-17', '08-19', '08-31']);
  });

  it('keep the time of day where clocks change: 9:00 before and after 26 October 1997', () => {
    expect(first('FREQ=DAILY', '1997-10-25T09:00', 2)).toEqual(['1997-10-25T13:00', '1997-10-26T14:00']);
  });

  it('without a rule come round once; what is none is refused in words', () => {
    expect(nextRecurrence(null, '2026-12-01T09:00', at('2026-11-24T00:00:00Z'), 'Europe/Amsterdam')).toBe(at('2026-12-01T09:00:00+01:00'));
    expect(nextRecurrence(null, '2026-12-01T09:00', at('2026-12-01T08:00:00Z'), 'Europe/Amsterdam')).toBeNull();
    for (const wrong of [
      '',
      'daily',
      'FREQ=SECONDLY',
      'FREQ=HOURLY',
      'FREQ=WEEKLY;BYDAY=XX',
      'FREQ=DAILY;COUNT=-1',
      'FREQ=DAILY\nDTSTART:20260101T000000Z',
    ])
      expect(recurrenceProblem(wrong, '2026-01-01T09:00'), wrong).toMatch(/is no recurrence/);
    expect(recurrenceProblem('FREQ=MONTHLY;BYDAY=1FR', '2026-01-01T09:00')).toBeNull();
    for (const wrong of ['BYMONTH=13', 'BYMONTHDAY=32', 'BYWEEKNO=54', 'BYYEARDAY=367', 'BYSETPOS=0', 'BYDAY=99MO', 'INTERVAL=0'])
      expect(recurrenceProblem(`FREQ=YEARLY;${wrong}`, '2026-01-01T09:00'), wrong).toMatch(/is no recurrence/);
  });

  it('that never come round are none, and asking for their next moment comes to an end', () => {
    for (const [rule, starts] of [
      ['FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30', '2026-01-01T09:00'],
      ['FREQ=YEARLY;INTERVAL=4;BYMONTH=2;BYMONTHDAY=29', '2027-01-01T09:00'],
      ['FREQ=WEEKLY;BYDAY=MO;BYSETPOS=300', '2026-01-01T09:00'],
    ] as const) {
      expect(recurrenceProblem(rule, starts), rule).toMatch(/never comes round/);
      expect(nextRecurrence(rule, starts, at('2026-06-01T00:00:00Z'), 'Europe/Amsterdam'), rule).toBeNull();
    }
    expect(recurrenceProblem('FREQ=YEARLY;INTERVAL=4;BYMONTH=2;BYMONTHDAY=29', '2028-01-01T09:00')).toBeNull();
    // long begun
    expect(nextRecurrence('FREQ=DAILY', '2000-01-01T09:00', at('2030-06-01T12:00:00Z'), 'UTC')).toBe(at('2030-06-02T09:00:00Z'));
  });

  it('are said in plain words where they are plain', () => {
    expect(sayRecurrence('FREQ=WEEKLY;INTERVAL=2;BYDAY=MO,TH;COUNT=10')).toBe('every 2 weeks on Monday, Thursday, 10 times');
    expect(sayRecurrence('FREQ=MONTHLY;BYMONTHDAY=15')).toBe('every month on day 15');
    expect(sayRecurrence('FREQ=MONTHLY;BYDAY=1FR')).toBe('by FREQ=MONTHLY;BYDAY=1FR');
  });
});
