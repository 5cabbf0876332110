import type { StepReport } from '@/core/api';
import { sayVerdict } from '@/core/flows';
import { shareInterval } from '@/core/stats';
import { sayCount, sayShare } from '../kit';

const percent = (share: number) => `${Math.round(share * 1000) / 10} %`;

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
          Shares with score intervals of 95 %. What is said of their difference holds however often it is looked at (mixture sequential
          probability ratio test).
        </p>
      )}
    </>
  );
}
