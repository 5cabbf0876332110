import { stepsOf, type TestStep, type Trial } from '@/core/flows';
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

/** Finds the verdict on a test as it is now: a test that has been changed since is another one. */
export const verdictOn = (verdicts: readonly VerdictRow[], step: TestStep): VerdictRow | undefined =>
  verdicts.find((one) => one.step_id === step.id && one.test === JSON.stringify(step));

/** Finds the verdict by which a test was decided. A sample test that has its winner was changed by that. */
export const decidedBy = (verdicts: readonly VerdictRow[], step: TestStep): VerdictRow | undefined =>
  step.won ? verdicts.find((one) => one.step_id === step.id) : verdictOn(verdicts, step);

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

/** How far a trial is: what each arm has come to, when the last of its messages went out, and whether more of its people are to come. */
export interface TrialSoFar {
  readonly shares: ArmShares;
  /** null where nobody has been sent anything yet */
  readonly lastAt: Instant | null;
  readonly isToCome: boolean;
  /** how many stand at it and wait for what it shows */
  readonly waiting: number;
}

/**
 * Looks at a trial: people of each arm to whom one of its messages went out, and how many of them opened or clicked, or reached the
 * goal. More are to come while its occasion is still being told, runs are armed, or stand at a step `before` it.
 */
export async function trialSoFar(
  sql: Sql,
  flowId: number,
  step: Pick<TestStep, 'id' | 'arms'> & { readonly trial: Trial },
  before: readonly string[],
  now: Instant,
): Promise<TrialSoFar> {
  const messages = step.arms.flatMap((arm) => stepsOf(arm).flatMap(({ id, kind }) => (kind === 'send' ? [{ arm: arm.id, step: id }] : [])));
  const done = { opened: 's.opened_at is not null', clicked: 's.clicked_at is not null', goal: 'r.goal_at is not null' }[step.trial.by];
  const rows = await query<{ arm: string; of: number; count: number; last: Date | null }>(
    sql,
    `select m.arm, count(distinct s.person_id)::int as of, (count(distinct s.person_id) filter (where ${done}))::int as count,
       max(coalesce(s.sent_at, s.queued_at)) as last
     from sends s join unnest(cast(:arms as text[]), cast(:steps as text[])) as m (arm, step) on m.step = s.step_id
       join runs r on r.person_id = s.person_id and r.id = s.run_id
     where s.flow_id = :flowId and s.state in ('sent', 'delivered', 'bounced', 'queued') and m.arm = any(r.arms) group by 1`,
    { flowId, arms: messages.map(({ arm }) => arm), steps: messages.map((one) => one.step) },
  );
  const [{ more, waiting } = { more: true, waiting: 0 }] = await query<{ more: boolean; waiting: number }>(
    sql,
    `select exists (select 1 from flow_occasions where flow_id = :flowId and next_at <= :now)
       or exists (select 1 from runs where flow_id = :flowId and (phase = 'armed' or (phase = 'inside' and (step = any(cast(:before as text[]))
         or (step = :step and wait_until is null))))) as more,
       (select count(*)::int from runs where flow_id = :flowId and phase = 'inside' and step = :step) as waiting`,
    { flowId, now: new Date(now), before, step: step.id },
  );
  const last = Math.max(0, ...rows.map((row) => row.last?.getTime() ?? 0));
  return {
    shares: Object.fromEntries(
      step.arms.map(({ id }) => {
        const row = rows.find(({ arm }) => arm === id);
        return [id, { of: row?.of ?? 0, count: row?.count ?? 0 }];
      }),
    ),
    lastAt: last || null,
    isToCome: more,
    waiting,
  };
}
