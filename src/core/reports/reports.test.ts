import { describe, expect, it } from 'vitest';
import { barsPicture, newReport, nextMail, reportSchema, sayChange, sayFigure, type ReportDocument } from '.';

const ZONE = 'Europe/Amsterdam';
const mail = (weekday: number, at: string): Pick<ReportDocument, 'mail'> => ({ mail: { weekday, at, to: ['a@shop.example'] } });
const next = (weekday: number, at: string, after: string) => {
  const found = nextMail(mail(weekday, at), Date.parse(after), ZONE);
  return found === null ? null : new Date(found).toISOString();
};

describe('when a report goes out next', () => {
  it('on its day of the week, later on that day or a week on; never where it goes to nobody', () => {
    // 24 November 2026 was a Tuesday; Amsterdam is an hour ahead of UTC in winter
    expect(next(2, '08:00', '2026-11-24T06:59:00Z')).toBe('2026-11-24T07:00:00.000Z');
    expect(next(2, '08:00', '2026-11-24T07:00:00Z')).toBe('2026-12-01T07:00:00.000Z');
    expect(next(1, '08:00', '2026-11-24T07:00:00Z')).toBe('2026-11-30T07:00:00.000Z');
    expect(next(7, '23:30', '2026-11-24T07:00:00Z')).toBe('2026-11-29T22:30:00.000Z');
    expect(nextMail({ mail: null }, 0, ZONE)).toBeNull();
  });

  it('keeps its time of day over a change of the clocks (28 March 2027), also at an hour that is left out', () => {
    expect(next(1, '08:00', '2027-03-23T12:00:00Z')).toBe('2027-03-29T06:00:00.000Z');
    expect(Date.parse(next(7, '02:30', '2027-03-23T12:00:00Z')!)).toBeGreaterThan(Date.parse('2027-03-28T00:00:00Z'));
  });
});

describe('a report', () => {
  const sound = { ...newReport(), name: 'Mondays' };
  it('says what is wrong with it', () => {
    expect(reportSchema.safeParse(sound).success).toBe(true);
    const wrong = (change: object) => reportSchema.safeParse({ ...sound, ...change }).error?.issues[0]?.path[0];
    expect(wrong({ name: ' ' })).toBe('name');
    expect(wrong({ figures: [] })).toBe('figures');
    expect(wrong({ figures: ['takings', 'takings'] })).toBe('figures');
    expect(wrong({ days: 8 })).toBe('days');
    expect(wrong({ splits: ['flow', 'channel', 'offer', 'first', 'link'] })).toBe('splits');
    expect(wrong({ mail: { weekday: 8, at: '08:00', to: ['a@b.example'] } })).toBe('mail');
    expect(wrong({ mail: { weekday: 1, at: '25:00', to: ['a@b.example'] } })).toBe('mail');
    expect(wrong({ mail: { weekday: 1, at: '08:00', to: ['nobody'] } })).toBe('mail');
  });

  it('tells figures with their units, changes in per cent, and those of shares in points', () => {
    expect(sayFigure({ kind: 'money' }, 1234, 'EUR')).toBe('€12.34');
    expect(sayFigure({ kind: 'share' }, 0.0725, 'EUR')).toBe('7.3 %');
    expect(sayFigure({ kind: 'count' }, 12_345, 'EUR')).toBe('12,345');
    expect(sayFigure({ kind: 'share' }, null, 'EUR')).toBe('–');
    expect(sayChange({ kind: 'money', now: 150, before: 100 }, 'May')).toBe('50 % more than in May');
    expect(sayChange({ kind: 'share', now: 0.1, before: 0.125 }, 'May')).toBe('2.5 points less than in May');
    expect(sayChange({ kind: 'count', now: 5, before: 0 }, 'May')).toBe('nothing in May');
    expect(sayChange({ kind: 'count', now: 5, before: 5 }, 'May')).toBe('as in May');
  });

  it('is drawn with a bar for each day, as high as it took, and the part that is credited', () => {
    const bars = (svg: string) =>
      [...svg.matchAll(/<rect x="([\d.]+)" y="([\d.]+)" width="[\d.]+" height="([\d.]+)" fill="(#\w+)"/g)]
        .slice(2)
        .map((found) => [Number(found[3]), found[4]]);
    const svg = barsPicture(
      [
        { day: '2026-11-23', takings: 10_000, credited: 2_500 },
        { day: '2026-11-24', takings: 0, credited: 0 },
        { day: '2026-11-25', takings: 5_000, credited: 0 },
      ],
      { currency: 'EUR', grain: 'day' },
    );
    const [all, credited, half] = bars(svg).map(([height]) => Number(height));
    expect(bars(svg)).toHaveLength(3);
    expect(credited! / all!).toBeCloseTo(0.25, 2);
    expect(half! / all!).toBeCloseTo(0.5, 2);
    expect(svg).toContain('23 Nov');
    expect(barsPicture([], { currency: 'EUR', grain: 'day' })).toContain('<svg');
  });
});
