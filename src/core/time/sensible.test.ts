import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { approximateMs, DAY, HOUR, MINUTE } from './duration';
import { durationOf, SENSIBLE, snapped } from './sensible';

describe('sensible lengths', () => {
  it('a length is drawn to the one that people would say', () => {
    expect(snapped(22 * HOUR)).toBe(23 * HOUR);
    expect(snapped(2.1 * DAY)).toBe(2 * DAY);
    expect(snapped(33 * MINUTE)).toBe(30 * MINUTE);
    expect(snapped(20)).toBe(0);
    expect(snapped(10_000 * DAY)).toBe(365 * DAY);
    for (const one of SENSIBLE) expect(snapped(one, Math.sqrt)).toBe(one);
  });

  it('is written in the largest unit that says it whole', () => {
    expect([2 * DAY, 90 * MINUTE, 23 * HOUR, 14 * DAY, 7 * DAY, 0, 3 * DAY + 5 * HOUR].map(durationOf)).toEqual([
      'P2D',
      'PT90M',
      'PT23H',
      'P2W',
      'P7D',
      'PT0M',
      'P3DT5H',
    ]);
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 1_000_000 }), (minutes) => {
        expect(approximateMs(durationOf(minutes * MINUTE))).toBe(minutes * MINUTE);
      }),
    );
  });
});
