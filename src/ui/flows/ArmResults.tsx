import { shareInterval } from '@/core/stats';
import { sayCount, sayShare } from '../kit';

const percent = (share: number) => `${Math.round(share * 1000) / 10}%`;

/** A path or variant with the people who took it, and how many of them did what is counted. */
interface Row {
  readonly id: string;
  readonly name: string;
  readonly people: number;
  readonly count: number;
}

/** Shows the results of a step’s paths, or of a test’s variants with their intervals. */
export function ArmResults({
  noun,
  metric,
  rows,
  hasIntervals = false,
}: {
  noun: 'Path' | 'Variant';
  /** what is counted; null if nothing is */
  metric: string | null;
  rows: readonly Row[];
  hasIntervals?: boolean;
}) {
  const total = rows.reduce((sum, { people }) => sum + people, 0);
  return (
    <table className="w-full tabular">
      <thead>
        <tr className="text-xs text-soft">
          <th className="text-left font-normal">{noun}</th>
          <th className="text-right font-normal">People</th>
          <th className="text-right font-normal">{metric}</th>
        </tr>
      </thead>
      <tbody>
        {rows.map(({ id, name, people, count }) => {
          const { low, high } = shareInterval({ of: people, count });
          return (
            <tr key={id} className="border-t border-line align-top">
              <td className="py-1">{name}</td>
              <td className="text-right">
                {sayCount(people)}
                {total > 0 && <span className="block text-xs text-soft">{sayShare(people, total)}</span>}
              </td>
              <td className="text-right">
                {metric !== null && people > 0 && (
                  <>
                    <b>{sayShare(count, people)}</b>
                    {hasIntervals && (
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
  );
}
