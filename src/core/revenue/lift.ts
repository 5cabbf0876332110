import { sayMoney } from '../money';
import {
  adjusted,
  chanceOfBetter,
  chanceOfParts,
  commonVariance,
  differenceOf,
  isSure,
  meanDifference,
  peopleUntilSure,
  shareDifference,
  shareEvidence,
  type Interval,
  type PairedSums,
  type Share,
} from '../stats';

/** The number of people that each group needs before a lift is shown. */
export const FEWEST = 50;
/** The number of people that each variant of a test needs before a verdict is given. The evidence itself is valid with fewer. */
export const FEWEST_PER_VARIANT = 20;
/** The number of buyers that the smaller group needs, at the rate of both groups together: with fewer, one large order decides. */
export const FEWEST_BUYERS = 25;
/** Below this, parts are as uneven as no lot makes them (Fabijan et al. 2019). */
export const TOO_UNEVEN = 0.001;

/** What people in a flow spent beside those in its control group, per person, in minor units. */
export interface Lift {
  readonly people: { readonly in: number; readonly out: number };
  /** as it was, before what they spent earlier is taken into account */
  readonly perPerson: { readonly in: number; readonly out: number };
  readonly buyers: { readonly in: number; readonly out: number };
  /** a person, and between what with 95 % certainty, however often it is looked at; null while a group is too small */
  readonly lift: number | null;
  readonly interval: Interval | null;
  /** which share of the differences between people what they spent before explains */
  readonly explained: number;
  /** how many more people the smaller group needs until a difference like this would be sure; null where it is, or there is none */
  readonly moreNeeded: number | null;
}

type Group = PairedSums & { readonly buyers: number };

/** Compares what people in a flow spent with what its control group spent, with what they spent before taken out (CUPED). */
export function liftOf(inside: Group, outside: Group): Lift {
  const { a, b, explained } = adjusted(inside, outside);
  const mean = (one: Group) => (one.n ? one.y / one.n : 0);
  const fewest = Math.min(a.n, b.n);
  const buyers = (fewest * (inside.buyers + outside.buyers)) / Math.max(1, a.n + b.n);
  const isEnough = fewest >= FEWEST && buyers >= FEWEST_BUYERS;
  const pooled = commonVariance(a, b);
  const interval = isEnough ? meanDifference(a, b) : null;
  const { difference } = differenceOf(a, b);
  const isCertain = interval !== null && (interval.low > 0 || interval.high < 0);
  const needed = difference && pooled ? peopleUntilSure(pooled, difference, fewest / Math.max(a.n, b.n)) : null;
  return {
    people: { in: a.n, out: b.n },
    perPerson: { in: mean(inside), out: mean(outside) },
    buyers: { in: inside.buyers, out: outside.buyers },
    lift: isEnough ? difference : null,
    interval,
    explained,
    moreNeeded: isCertain ? null : isEnough ? needed && Math.max(0, needed - fewest) : peopleUntilEnough(fewest, buyers),
  };
}

/** Estimates how many more people the smaller group needs before a lift is shown, at the rate at which people buy. */
const peopleUntilEnough = (people: number, buyers: number): number =>
  Math.max(1, FEWEST - people, buyers < FEWEST_BUYERS ? Math.ceil((people * FEWEST_BUYERS) / Math.max(1, buyers)) - people : 0);

interface Said {
  readonly currency: string;
  readonly credited: number;
  /** for how long what they order counts: "14 days"; of all marketing since when: "1 November" */
  readonly window: string;
  readonly of?: keyof typeof WORDS;
}
const WORDS = {
  flow: { inside: 'People in the flow', counts: 'within', what: 'The flow', had: 'have had their' },
  all: { inside: 'People who get marketing', counts: 'since', what: 'Marketing as a whole', had: 'have been in it since' },
} as const;

/** Describes a lift in words, beside the revenue that is attributed to the messages. */
export function sayLift(lift: Lift, { currency, credited, window, of: about = 'flow' }: Said): string {
  const words = WORDS[about];
  const money = (minor: number) => sayMoney({ currency, minor: Math.round(minor) });
  const signed = (minor: number) => `${minor < 0 ? '−' : ''}${money(Math.abs(minor))}`;
  const count = (people: number) => people.toLocaleString('en-IE');
  const { people, perPerson, interval } = lift;
  if (lift.lift === null || !interval)
    return (
      `Too early to tell: ${count(people.out)} people in the control group ${words.had} ${window}. ` +
      `Each group needs at least ${FEWEST} people, and enough of them that about ${FEWEST_BUYERS} can be expected to order.`
    );
  const of =
    `${words.inside} spent ${money(perPerson.in)} each ${words.counts} ${window}, the control group ${money(perPerson.out)}. ` +
    `${words.what} adds ${signed(lift.lift)} per person (${signed(interval.low)} to ${signed(interval.high)})`;
  const all = lift.lift * people.in;
  if (interval.low > 0)
    return `${of}: about ${money(all)} of incremental revenue, beside ${money(credited)} attributed to it. ${
      all < credited ? 'The rest of the attributed revenue would have come anyway.' : 'That is more than is attributed to it.'
    }`;
  if (interval.high < 0) return `${of}: it costs more than it brings, though ${money(credited)} is attributed to it.`;
  return `${of}: it isn’t certain yet that it adds anything, though ${money(credited)} is attributed to it.`;
}

/** An arm of a test: the share of people that was set for it, how many drew it, and how many of them reached the goal. */
export interface Arm {
  readonly id: string;
  readonly name: string;
  readonly share: number;
  readonly people: number;
  readonly goals: number;
}

export interface TestVerdict {
  /** the arm that is ahead for sure by what the test goes by, or null */
  readonly ahead: string | null;
  /** of each arm against the best of the others: the difference of the shares that reach the goal, with its interval at any time */
  readonly against: readonly { readonly id: string; readonly difference: number; readonly interval: Interval; readonly chance: number }[];
  /** people more that each arm needs for a difference like this, where none is sure */
  readonly moreNeeded: number | null;
  /** how likely so uneven parts are by the shares that were set */
  readonly evenness: number;
  readonly says: string;
}

const points = (share: number): string => `${share < 0 ? '−' : ''}${Math.round(Math.abs(share) * 1000) / 10}`;

/** Describes the method of every verdict. */
export const VERDICT_METHOD = '95% intervals that hold at any time, however often you look (mixture of likelihood ratios).';

/** Turns the counts of a test into variants as {@link testVerdict} takes them. */
export const countedArms = (
  arms: readonly { readonly id: string; readonly name: string; readonly share?: number }[],
  counts: { readonly [arm: string]: Share },
): Arm[] =>
  arms.map(({ id, name, share }) => ({ id, name, share: share ?? 1, people: counts[id]?.of ?? 0, goals: counts[id]?.count ?? 0 }));

/**
 * Judges a test by the share of people who reach what it is judged by, with inference that holds at any time (for several variants with
 * Bonferroni’s correction). Every page and every decision uses this verdict.
 * @param planned the number of people per variant that the test is planned for; the verdict finds most at about that size
 */
export function testVerdict(arms: readonly Arm[], planned?: number): TestVerdict {
  const share = ({ goals, people }: Arm): Share => ({ count: goals, of: people });
  const drawn = arms.filter((one) => one.share > 0 || one.people > 0);
  const options = { leftOut: 0.05 / Math.max(1, drawn.length - 1), people: planned };
  const evenness = chanceOfParts(
    drawn.map(({ people }) => people),
    drawn.map((one) => one.share),
  );
  const rate = (one: Arm) => (one.people ? one.goals / one.people : 0);
  const byRate = [...drawn].sort((a, b) => rate(b) - rate(a));
  const isBetter = (one: Arm, other: Arm) =>
    rate(one) > rate(other) && isSure(shareEvidence(share(one), share(other), options), options.leftOut);
  const against = drawn.map((one) => {
    const other = byRate.find(({ id }) => id !== one.id);
    const [a, b] = [share(one), other ? share(other) : { count: 0, of: 0 }];
    return {
      id: one.id,
      difference: rate(one) - (other ? rate(other) : 0),
      interval: shareDifference(a, b, options),
      chance: chanceOfBetter(shareEvidence(a, b, options)),
    };
  });
  const few = Math.min(...drawn.map(({ people }) => people));
  const isEnough = drawn.length > 1 && few >= FEWEST_PER_VARIANT;
  const [best, next] = byRate;
  const isAhead = isEnough && best !== undefined && drawn.every((one) => one.id === best.id || isBetter(best, one));
  const base = { ahead: isAhead ? best.id : null, against, evenness };
  if (!isEnough)
    return {
      ...base,
      moreNeeded: drawn.length > 1 ? Math.max(0, FEWEST_PER_VARIANT - few) : null,
      says: `Too early to tell: each variant needs at least ${FEWEST_PER_VARIANT} people, and one has ${
        Number.isFinite(few) ? few.toLocaleString('en-IE') : 0
      } so far.`,
    };
  const uneven =
    evenness < TOO_UNEVEN
      ? 'People aren’t split between the variants as set: something other than the random draw decides who gets which. '
      : '';
  const { low, high } = against.find(({ id }) => id === best!.id)!.interval;
  if (isAhead)
    return {
      ...base,
      moreNeeded: null,
      says: `${uneven}“${best.name}” is the winner: it is ${points(low)} to ${points(high)} percentage points better than “${next!.name}”.`,
    };
  const middle = (rate(best!) + rate(next!)) / 2;
  const needed =
    rate(best!) === rate(next!)
      ? null
      : peopleUntilSure(
          middle * (1 - middle),
          rate(best!) - rate(next!),
          Math.min(best!.people, next!.people) / Math.max(best!.people, next!.people),
        );
  return {
    ...base,
    moreNeeded: needed === null ? null : Math.max(0, needed - few),
    says:
      `${uneven}No clear winner yet: the difference between “${best!.name}” and “${next!.name}” is between ` +
      `${points(low)} and ${points(high)} percentage points.`,
  };
}
