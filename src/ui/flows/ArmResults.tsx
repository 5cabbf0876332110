import type { StepReport, TestView } from '@/core/api';
import { shareInterval } from '@/core/stats';
import { sayCount, sayShare } from '../kit';

const percent = (share: number) => `${Math.round(share * 1000) / 10} %`;

/** Shows the results of a step’s paths or variants; of a test with intervals and the verdict that the tests page gives. */
export function ArmResults({
  isTest,
  figures,
  hasGoal,
  verdict,
}: {
  isTest: boolean;
  figures: StepReport;
  hasGoal: boolean;
  /** the test as it is judged everywhere; undefined while it loads */
  verdict?: Pick<TestView, 'says' | 'method'>;
}) {
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
      {isTest && <p data-testid="test-verdict">{verdict?.says ?? 'Loading…'}</p>}
      {isTest && verdict && <p className="text-xs text-soft">{verdict.method}</p>}
    </>
  );
}
