import { useQuery } from '@tanstack/react-query';
import type { TestView } from '@/core/api';
import { api, Failed, TEST_METRICS } from '../kit';
import { ArmResults } from './ArmResults';

/** Shows the results of a test from its beginning, with the verdict that every page gives. */
export function TestResults({ flow, step }: { flow: string; step: string }) {
  const { data, error, refetch } = useQuery({
    queryKey: ['tests', flow, step],
    queryFn: () => api<TestView>(`/tests/${flow}/${step}`),
  });
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  if (!data) return <p className="text-soft">Loading…</p>;
  return (
    <>
      <ArmResults
        noun="Variant"
        metric={TEST_METRICS[data.goes]}
        rows={data.arms.map(({ goals: count, ...arm }) => ({ ...arm, count }))}
        hasIntervals
      />
      <p data-testid="test-verdict">{data.says}</p>
      <p className="text-xs text-soft">Counted over the whole test, not the chosen period. {data.method}</p>
    </>
  );
}
