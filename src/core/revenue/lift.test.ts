import { describe, expect, it } from 'vitest';
import { FEWEST, liftOf, sayLift, testVerdict } from './lift';

/** A group of so many people: a share of them buys for an amount; what they spent before goes along with it as far as is said. */
const group = (n: number, share: number, amount: number, along = 0) => {
  const rows = Array.from({ length: n }, (_, person) => {
    const buys = (person * 7919) % 1000 < share * 1000;
    const before = along * amount * (((person * 104_729) % 997) / 997);
    return { y: (buys ? amount : 0) + before, x: before, buys };
  });
  const sum = (of: (row: (typeof rows)[number]) => number) => rows.reduce((all, row) => all + of(row), 0);
  return {
    n,
    y: sum((r) => r.y),
    yy: sum((r) => r.y ** 2),
    x: sum((r) => r.x),
    xx: sum((r) => r.x ** 2),
    xy: sum((r) => r.x * r.y),
    buyers: rows.filter((r) => r.buys).length,
  };
};
const words = { currency: 'EUR', credited: 900_000, window: '7 days' };

describe('what a flow adds', () => {
  it('is what who entered brought more a person than who was kept out, and is said beside what is credited', () => {
    const lift = liftOf(group(9_000, 0.2, 5_000), group(1_000, 0.1, 5_000));
    expect(lift.perPerson.in).toBeCloseTo(1_000, -1);
    expect(lift.perPerson.out).toBeCloseTo(500, -1);
    expect(lift.lift).toBeCloseTo(500, -1);
    expect(lift.interval!.low).toBeGreaterThan(0);
    expect(lift.moreNeeded).toBeNull();
    expect(sayLift(lift, { ...words, credited: 9_000_000 })).toMatch(
      /^People in the flow spent €10\.0\d each within 7 days, the control group €[45]\.\d+\. The flow adds €[45]\.\d+ per person \(€\d.* to €\d.*\): about €4\d,\d+\.\d+ of incremental revenue, beside €90,000\.00 attributed to it\. The rest of the attributed revenue would have come anyway\.$/,
    );
  });

  it('is not sure where the groups hardly differ, and says how many more people would be needed', () => {
    const lift = liftOf(group(3_000, 0.101, 5_000), group(400, 0.1, 5_000));
    expect(lift.interval!.low).toBeLessThan(0);
    expect(lift.moreNeeded).toBeGreaterThan(0);
    expect(sayLift(lift, words)).toContain('it isn’t certain yet that it adds anything, though €9,000.00 is attributed to it');
  });

  it('says nothing of fewer than fifty who were kept out', () => {
    const lift = liftOf(group(900, 0.7, 5_000), group(FEWEST - 1, 0.6, 5_000));
    expect([lift.lift, lift.interval, lift.moreNeeded]).toEqual([null, null, 1]);
    expect(sayLift(lift, words)).toMatch(/^Too early to tell: 49 people in the control group/);
  });

  it('says nothing where too few would have bought, however many people there are', () => {
    const lift = liftOf(group(9_000, 0.02, 5_000), group(500, 0.02, 5_000));
    expect(lift.interval).toBeNull();
    // 500 people at 2% are 10 buyers: 25 take 1,250 people
    expect(lift.moreNeeded).toBeGreaterThan(600);
    expect(lift.moreNeeded).toBeLessThan(900);
  });

  it('is known more closely where what they spent before tells of what they spend', () => {
    const [plain, along] = [0, 3].map((much) => liftOf(group(4_000, 0.2, 5_000, much), group(1_000, 0.1, 5_000, much)));
    expect(plain!.explained).toBe(0);
    expect(along!.explained).toBeGreaterThan(0.5);
    const width = ({ interval }: { interval: { low: number; high: number } | null }) => interval!.high - interval!.low;
    expect(width(along!)).toBeLessThan(width(plain!) * 1.1);
  });
});

describe('the verdict of a test', () => {
  const arm = (id: string, people: number, goals: number, share = 1) => ({ id, name: `Way ${id}`, share, people, goals });

  it('is given for the arm that is ahead of every other, and never too early', () => {
    expect(testVerdict([arm('a', 2_000, 200), arm('b', 2_000, 320)])).toMatchObject({ ahead: 'b', moreNeeded: null });
    expect(testVerdict([arm('a', 15, 4), arm('b', 15, 14)])).toMatchObject({ ahead: null, moreNeeded: 5 });
    // one of the three is not sure to be behind
    expect(testVerdict([arm('a', 2_000, 200), arm('b', 2_000, 320), arm('c', 2_000, 310)]).ahead).toBeNull();
    expect(testVerdict([]).says).toMatch(/^Too early to tell/);
  });

  it('says how many more people would be needed, and how likely each is better', () => {
    const { moreNeeded, against, says } = testVerdict([arm('a', 1_000, 100), arm('b', 1_000, 110)]);
    // 3 standard errors: 9 · 0.105 · 0.895 · 2 ÷ 0.01² = 16,916 in each, of which 1,000 are there (worked by hand)
    expect(moreNeeded).toBe(15_916);
    expect(against.find(({ id }) => id === 'b')!.chance).toBeCloseTo(0.61, 2);
    expect(says).toMatch(/^No clear winner yet: the difference between “Way b” and “Way a”/);
  });

  it('points out parts that no lot makes so uneven, by the shares that were set', () => {
    expect(testVerdict([arm('a', 1_000, 100), arm('b', 1_300, 130)]).says).toMatch(/^People aren’t split between the variants as set/);
    expect(testVerdict([arm('a', 700, 70, 7), arm('b', 300, 30, 3)]).says).toMatch(/^No clear winner/);
  });
});
