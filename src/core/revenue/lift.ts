import { sayMoney } from '../money';
import {
  adjusted,
  alwaysInterval,
  chanceOfBetter,
  chanceOfParts,
  differenceOf,
  peoplePerArm,
  peoplePerArmOfMean,
  sampleOf,
  shareSample,
  type Interval,
  type PairedSums,
} from '../stats';

/** With how many people a group says something at least. */
export const FEWEST = 50;
/** Below this, parts are as uneven as no lot makes them (Fabijan et al. 2019). */
export const TOO_UNEVEN = 0.001;

/** The size of a difference at which intervals that hold at any time are narrowest: a twentieth of a standard deviation; of shares three points. */
const TAU_OF_DEVIATION = 0.05;
export const TAU_OF_SHARE = 0.03;

/** What people who went in brought beside those who were kept out by lot, a person, in minor units. */
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

/** What a flow adds: revenue of who entered against who was kept out, with what they spent before taken out (CUPED). */
export function liftOf(inside: Group, outside: Group): Lift {
  const { a, b, explained } = adjusted(inside, outside);
  const mean = (one: Group) => (one.n ? one.y / one.n : 0);
  const isEnough = Math.min(a.n, b.n) >= FEWEST;
  const pooled = (a.variance * Math.max(0, a.n - 1) + b.variance * Math.max(0, b.n - 1)) / Math.max(1, a.n + b.n - 2);
  const interval = isEnough ? alwaysInterval(a, b, TAU_OF_DEVIATION * Math.sqrt(pooled)) : null;
  const { difference } = differenceOf(a, b);
  const isSure = interval !== null && (interval.low > 0 || interval.high < 0);
  const needed = difference && pooled ? peopleWith(pooled, difference) : null;
  return {
    people: { in: a.n, out: b.n },
    perPerson: { in: mean(inside), out: mean(outside) },
    buyers: { in: inside.buyers, out: outside.buyers },
    lift: isEnough ? difference : null,
    interval,
    explained,
    moreNeeded: isSure ? null : isEnough ? needed && Math.max(0, needed - Math.min(a.n, b.n)) : FEWEST - Math.min(a.n, b.n),
  };
}

/** How many people in each group until an interval that holds at any time leaves nothing out, of a difference like this: about twice what one look needs. */
const peopleWith = (variance: number, difference: number): number => 2 * peoplePerArmOfMean(variance, difference);

interface Said {
  readonly currency: string;
  readonly credited: number;
  /** for how long what they order counts: "14 days"; of all marketing since when: "1 November" */
  readonly window: string;
  readonly of?: keyof typeof WORDS;
}
const WORDS = {
  flow: { inside: 'Who entered', outside: 'who was kept out', counts: 'within', what: 'The flow', had: 'have had their' },
  all: { inside: 'Who may get marketing', outside: 'who gets none', counts: 'since', what: 'All of it', had: 'have been so since' },
} as const;

/** What a lift means, in words, beside what the messages were credited with. */
export function sayLift(lift: Lift, { currency, credited, window, of: about = 'flow' }: Said): string {
  const words = WORDS[about];
  const money = (minor: number) => sayMoney({ currency, minor: Math.round(minor) });
  const signed = (minor: number) => `${minor < 0 ? '−' : ''}${money(Math.abs(minor))}`;
  const { people, perPerson, interval } = lift;
  if (lift.lift === null || !interval)
    return (
      `Too few people to say: ${people.out.toLocaleString('en-IE')} were kept out and ${words.had} ${window}, ` +
      `and at least ${FEWEST} are needed.`
    );
  const of =
    `${words.inside} brought ${money(perPerson.in)} ${words.counts} ${window}, ${words.outside} ${money(perPerson.out)}. ` +
    `${words.what} adds ${signed(lift.lift)} a person (${signed(interval.low)} to ${signed(interval.high)})`;
  const all = lift.lift * people.in;
  if (interval.low > 0)
    return `${of}: about ${money(all)} in all, where ${money(credited)} is credited to it. ${
      all < credited ? 'The rest of what is credited would have been bought anyway.' : 'It brings more than what it is credited with.'
    }`;
  if (interval.high < 0) return `${of}: it costs more than it brings. ${money(credited)} is credited to it all the same.`;
  return `${of}: whether it adds anything is not sure yet, though ${money(credited)} is credited to it.`;
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

const points = (share: number) => String(Math.round(Math.abs(share) * 1000) / 10);

/**
 * What the numbers of a test say: by the share of people who reach the goal, with intervals that hold however often it is looked at
 * (mixture sequential probability ratio test; over several arms Bonferroni's correction). Nothing is said before each has had enough people.
 */
export function testVerdict(arms: readonly Arm[]): TestVerdict {
  const sample = ({ goals, people }: Arm) => shareSample(goals, people);
  const drawn = arms.filter(({ share, people }) => share > 0 || people > 0);
  const leftOut = 0.05 / Math.max(1, drawn.length - 1);
  const evenness = chanceOfParts(
    drawn.map(({ people }) => people),
    drawn.map(({ share }) => share),
  );
  const rate = (one: Arm) => (one.people ? one.goals / one.people : 0);
  const against = drawn.map((one) => {
    const other = drawn.filter(({ id }) => id !== one.id).sort((a, b) => rate(b) - rate(a))[0];
    const [a, b] = [sample(one), other ? sample(other) : sampleOf(0, 0, 0)];
    return {
      id: one.id,
      difference: differenceOf(a, b).difference,
      interval: alwaysInterval(a, b, TAU_OF_SHARE, leftOut),
      chance: chanceOfBetter(a, b),
    };
  });
  const few = Math.min(...drawn.map(({ people }) => people));
  const isEnough = drawn.length > 1 && few >= FEWEST;
  const [best, next] = [...drawn].sort((a, b) => rate(b) - rate(a));
  const lead = against.find(({ id }) => id === best?.id);
  const isSure =
    isEnough &&
    best !== undefined &&
    drawn.every((one) => one.id === best.id || alwaysInterval(sample(best), sample(one), TAU_OF_SHARE, leftOut).low > 0);
  const needed = best && next && rate(best) !== rate(next) ? 2 * peoplePerArm(rate(next), rate(best)) : null;
  const base = { ahead: isSure ? best.id : null, against, evenness };
  const uneven =
    evenness < TOO_UNEVEN && isEnough ? 'The parts are more uneven than the lot makes them: something else decides who comes here. ' : '';
  if (!isEnough)
    return {
      ...base,
      moreNeeded: drawn.length > 1 ? Math.max(0, FEWEST - few) : null,
      says: `Too early to say: each way needs at least ${FEWEST} people, and one has had ${Number.isFinite(few) ? few.toLocaleString('en-IE') : 0}.`,
    };
  const { low, high } = lead!.interval;
  if (isSure)
    return {
      ...base,
      moreNeeded: null,
      says:
        `${uneven}“${best.name}” is ahead of “${next!.name}” by ${points(low)} to ${points(high)} points of a hundred. ` +
        'That holds however often it is looked at.',
    };
  return {
    ...base,
    moreNeeded: needed === null ? null : Math.max(0, needed - few),
    says:
      `${uneven}No difference is sure yet: between “${best!.name}” and “${next!.name}” it lies between ${points(Math.min(0, low))} points the other way ` +
      `and ${points(high)} this way.`,
  };
}
