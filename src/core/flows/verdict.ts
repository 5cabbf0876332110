import { differenceInterval, highest, type Share } from '../stats';
import { FEWEST_TO_DECIDE } from './steps';

/** One way of a test: how many took it, and how many of them reached the goal. */
export interface Tried {
  readonly name: string;
  readonly people: number;
  readonly goal: number;
}

const shareOf = ({ people, goal }: Tried): Share => ({ of: people, count: goal });
const points = (share: number) => String(Math.round(Math.abs(share) * 1000) / 10);

/**
 * What the numbers of a test say, in words: nothing before each way has had enough people. Whether one is ahead is told as by
 * {@link highest}, by how much by the interval of the difference (Newcombe's method 10), all of them together right in 95 of a hundred.
 */
export function sayVerdict(ways: readonly Tried[]): string {
  const few = Math.min(...ways.map(({ people }) => people));
  if (ways.length < 2 || few < FEWEST_TO_DECIDE)
    return `Too early to say: each way needs at least ${FEWEST_TO_DECIDE} people, and one has had ${few.toLocaleString('en-IE')}.`;
  const [best, next] = [...ways].sort((a, b) => b.goal / b.people - a.goal / a.people) as [Tried, Tried];
  const { low, high } = differenceInterval(shareOf(best), shareOf(next), 0.05 / (ways.length - 1));
  if (highest(ways.map(shareOf)) === null)
    return (
      `No difference is sure yet: between “${best.name}” and “${next.name}” it lies between ` +
      `${points(low)} points the other way and ${points(high)} this way.`
    );
  return (
    `“${best.name}” is ahead of “${next.name}” by ${points(low)} to ${points(high)} points of a hundred. ` +
    'That is more than chance would do, if this is looked at once.'
  );
}
