import { sayMoney } from '../money';
import {
  adjusted,
  chanceOfBetter,
  chanceOfParts,
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

/** With how many people a group says something at least. */
export const FEWEST = 50;
/** With how many people a variant of a test says something at least; how sure it is the evidence says, however few they are. */
export const FEWEST_PER_VARIANT = 20;
/** How many people of a group would have bought at least, at the rate of both groups together: with fewer, one large order decides. */
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
  const pooled = (a.variance * Math.max(0, a.n - 1) + b.variance * Math.max(0, b.n - 1)) / Math.max(1, a.n + b.n - 2);
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

/** How many more people the smaller group needs until anything can be said of it, at the rate at which they buy. */
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
  const { people, perPerson, buyers, interval } = lift;
  if (lift.lift === null || !interval)
    return (
      `Too early to tell: ${count(people.out)} people in the control group ${words.had} ${window}, and ${count(buyers.in + buyers.out)} people ` +
      `ordered in both groups. The smaller group needs at least ${FEWEST} people, of whom ${FEWEST_BUYERS} would order at that rate.`
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

/** How people who reach the goal of a test are counted, and how long it is planned to be. */
export interface TestPlan {
  /** for how many people in each variant it is planned, where that was set */
  readonly people?: number | null;
}

const points = (share: number): string => `${share < 0 ? '−' : ''}${Math.round(Math.abs(share) * 1000) / 10}`;

/** The method of every verdict, in words. */
export const VERDICT_METHOD =
  '95% intervals that hold at any time, however often you look (mixture of likelihood ratios, exact for uneven groups and rare outcomes).';

/**
 * Judges a test: by the share of people who do what the test goes by, with inference that holds at any time (over several variants with
 * Bonferroni’s correction). Nothing is said before each variant has had enough people. The same function judges every test everywhere.
 */
export function testVerdict(arms: readonly Arm[], { people: planned }: TestPlan = {}): TestVerdict {
  const share = ({ goals, people }: Arm): Share => ({ count: goals, of: people });
  const drawn = arms.filter((one) => one.share > 0 || one.people > 0);
  const options = { leftOut: 0.05 / Math.max(1, drawn.length - 1), ...(planned && { people: planned }) };
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
      ? 'The variants have had more uneven numbers of people than a random draw gives: something else decides who gets here. '
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
