import type { StepReport } from '@/core/api';
import { FEWEST_TO_DECIDE } from '@/core/flows';
import { differenceInterval, shareInterval } from '@/core/stats';
import { plural, sayCount, sayShare } from '../kit';

const percent = (share: number) => `${Math.round(share * 1000) / 10} %`;
const points = (share: number) => String(Math.round(Math.abs(share) * 1000) / 10);

/** What came of the arms of a step: of a test with intervals, and a verdict in words that is never given too early. */
export function ArmResults({ isTest, figures, hasGoal }: { isTest: boolean; figures: StepReport; hasGoal: boolean }) {
  const arms = figures.arms ?? [];
  const total = arms.reduce((sum, { people }) => sum + people, 0);
  return (
    <>
      <table className="w-full tabular">
        <thead>
          <tr className="text-xs text-soft">
            <th className="text-left font-normal">Way</th>
            <th className="text-right font-normal">people</th>
            <th className="text-right font-normal">{hasGoal ? 'goal' : ''}</th>
          </tr>
        </thead>
        <tbody>
          {arms.map(({ id, name, people, goal }) => {
            const { low, high } = shareInterval({ of: people, count: goal });
            return (
              <tr key={id} className="border-t border-line align-top">
                <td className="py-1">{name}</td>
                <td className="text-right">
                  {sayCount(people)}
                  {total > 0 && <span className="block text-xs text-soft">{sayShare(people, total)}</span>}
                </td>
                <td className="text-right">
                  {hasGoal && people > 0 && (
                    <>
                      <b>{sayShare(goal, people)}</b>
                      {isTest && (
                        <span className="block whitespace-nowrap text-xs text-soft">
                          {percent(low)} to {percent(high)}
                        </span>
                      )}
                    </>
                  )}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {isTest && (
        <p data-testid="test-verdict">
          {hasGoal ? sayVerdict(arms) : 'Without a goal there is nothing to hold the ways against each other by.'}
        </p>
      )}
      {isTest && hasGoal && (
        <p className="text-xs text-soft">
          Intervals of 95 % (score intervals; of differences by Newcombe’s hybrid). Looked at every day, a difference shows sooner or later
          where there is none: decide by the number of people you set out with.
        </p>
      )}
    </>
  );
}

type Arms = NonNullable<StepReport['arms']>;

/** What the numbers of a test say, in words: nothing before each way has had enough people. */
export function sayVerdict(arms: Arms): string {
  const taking = arms.filter(({ people }) => people > 0);
  const few = Math.min(...arms.map(({ people }) => people));
  if (taking.length < 2 || few < FEWEST_TO_DECIDE)
    return `Too early to say: each way needs at least ${plural(FEWEST_TO_DECIDE, 'person', 'people')}, and one has had ${sayCount(few)}.`;
  const rate = ({ people, goal }: Arms[number]) => goal / people;
  const [best, ...others] = [...taking].sort((a, b) => rate(b) - rate(a)) as [Arms[number], ...Arms[number][]];
  // all differences together are to be right in 95 of a hundred (Bonferroni)
  const against = others.map((one) => ({
    one,
    ...differenceInterval({ of: best.people, count: best.goal }, { of: one.people, count: one.goal }, 0.05 / others.length),
  }));
  const next = against[0]!;
  if (against.every(({ low }) => low > 0))
    return `“${best.name}” is ahead of “${next.one.name}” by ${points(next.low)} to ${points(next.high)} points of a hundred. That is more than chance would do, if this is looked at once.`;
  return `No difference is sure yet: between “${best.name}” and “${next.one.name}” it lies between ${points(next.low)} points the other way and ${points(next.high)} this way.`;
}
