import { describe, expect, it } from 'vitest';
import { plural, sayCount, sayDate, sayDay, sayMoment, sayShare, sayShort, sayTime } from './format';

describe('what screens say', () => {
  const at = '2026-11-24T23:30:05Z';

  it('moments in the store’s zone, not the reader’s', () => {
    expect(sayMoment(at, 'Europe/Amsterdam')).toBe('25 Nov 2026, 00:30');
    expect(sayMoment(at, 'America/New_York')).toBe('24 Nov 2026, 18:30');
    expect(sayTime(at, 'Asia/Kathmandu')).toBe('05:15:05');
    expect(sayDay(at, 'Europe/Amsterdam')).toBe('Wednesday, 25 November 2026');
    expect(sayDate(at, 'UTC')).toBe('24 Nov 2026');
    expect(sayShort(at, 'UTC')).toBe('Tue 24 Nov, 23:30');
  });

  it('counts with their noun in the right number', () => {
    expect([plural(0, 'person', 'people'), plural(1, 'person', 'people'), plural(12_345, 'person', 'people')]).toEqual([
      '0 people',
      '1 person',
      '12,345 people',
    ]);
    expect(sayCount(1_000_000)).toBe('1,000,000');
  });

  it('a share of nothing is not zero but nothing to say', () => {
    expect(sayShare(0, 0)).toBeNull();
    expect(sayShare(0, 10)).toBe('0.0 %');
    expect(sayShare(81, 263)).toBe('30.8 %');
  });
});
