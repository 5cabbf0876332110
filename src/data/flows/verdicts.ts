import type { TestStep } from '@/core/flows';
import type { Instant } from '@/core/time';
import { query, type Sql } from '../db';

/** How many people took each arm of a test, and how many of them reached the goal. */
export type ArmShares = Readonly<Record<string, { readonly of: number; readonly count: number }>>;

export interface VerdictRow {
  readonly step_id: string;
  /** the step as it was, as text */
  readonly test: string;
  readonly at: Date;
  readonly arm: string | null;
  readonly counts: ArmShares;
}

/** What became of the tests of a flow that decide by themselves, the newest first. */
export const verdictsOf = (sql: Sql, flowId: number): Promise<VerdictRow[]> =>
  query<VerdictRow>(sql, 'select step_id, test, at, arm, counts from test_verdicts where flow_id = :flowId order by at desc', { flowId });

export async function noteVerdict(
  sql: Sql,
  verdict: { flowId: number; step: TestStep; at: Instant; arm: string | null; counts: ArmShares },
): Promise<void> {
  await query(
    sql,
    `insert into test_verdicts (flow_id, step_id, test, at, arm, counts) values (:flowId, :stepId, :test, :at, :arm, :counts)`,
    {
      flowId: verdict.flowId,
      stepId: verdict.step.id,
      test: JSON.stringify(verdict.step),
      at: new Date(verdict.at),
      arm: verdict.arm,
      counts: JSON.stringify(verdict.counts),
    },
  );
}

/** People who took each of some arms and entered between two moments, each counted once; and how many of them have reached the goal. */
export async function armShares(sql: Sql, flowId: number, arms: readonly string[], from: Instant, to: Instant): Promise<ArmShares> {
  const rows = await query<{ arm: string; of: number; count: number }>(
    sql,
    `select arm, count(distinct person_id)::int as of, (count(distinct person_id) filter (where goal_at is not null))::int as count
     from runs, unnest(arms) as arm where flow_id = :flowId and entered_at >= :from and entered_at <= :to and arm = any(cast(:arms as text[]))
     group by 1`,
    { flowId, arms, from: new Date(from), to: new Date(to) },
  );
  return Object.fromEntries(
    arms
      .map((arm) => [arm, rows.find((row) => row.arm === arm) ?? { of: 0, count: 0 }])
      .map(([arm, share]) => {
        const { of, count } = share as { of: number; count: number };
        return [arm as string, { of, count }];
      }),
  );
}
