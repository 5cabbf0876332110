import type { Instant } from '@/core/time';
import { query, type Sql } from '../db';

/** How far the store has come with its work, as somebody who runs it watches it. */
export interface Load {
  readonly jobs: readonly { readonly task: string; readonly waiting: number; readonly failed: number }[];
  /** runs that are due, and for how long the first of them has been, in seconds */
  readonly dueRuns: number;
  readonly dueFor: number;
  readonly brokenRuns: number;
  /** messages that wait to be handed over, and what became of those of the last hour */
  readonly queued: number;
  readonly sends: readonly { readonly state: string; readonly count: number }[];
  /** events of the last hour as they were taken in or refused */
  readonly taken: number;
  readonly refused: number;
  readonly differences: number | null;
  readonly staleDays: number;
}

export async function loadNow(sql: Sql, now: Instant): Promise<Load> {
  const at = { now: new Date(now) };
  const one = async <T>(text: string): Promise<T> => (await query<T>(sql, text, text.includes(':now') ? at : {}))[0]!;
  const [jobs, due, broken, queued, sends, ingest, check, stale] = await Promise.all([
    query<Load['jobs'][number]>(
      sql,
      `select task_identifier as task, count(*) filter (where attempts < max_attempts)::int as waiting,
         count(*) filter (where attempts >= max_attempts)::int as failed from graphile_worker.jobs group by 1 order by 1`,
    ),
    one<{ count: number; seconds: number }>(
      `select count(*)::int as count, coalesce(extract(epoch from cast(:now as timestamptz) - min(wake_at)), 0)::float8 as seconds
       from runs where wake_at <= :now`,
    ),
    one<{ count: number }>(`select count(*)::int as count from runs where broken is not null`),
    one<{ count: number }>(`select count(*)::int as count from sends where state = 'queued'`),
    query<Load['sends'][number]>(
      sql,
      `select state, count(*)::int as count from sends where sent_at > cast(:now as timestamptz) - interval '1 hour' group by 1 order by 1`,
      at,
    ),
    one<{ taken: number; refused: number }>(
      `select coalesce(sum(accepted), 0)::int as taken, coalesce(sum(rejected), 0)::int as refused from source_minutes
       where minute > cast(:now as timestamptz) - interval '1 hour'`,
    ),
    query<{ count: number }>(sql, `select jsonb_array_length(differences) as count from ledger_checks order by at desc limit 1`),
    one<{ count: number }>(`select count(distinct day)::int as count from stale_days join summed_days using (day)`),
  ]);
  return {
    jobs,
    dueRuns: due.count,
    dueFor: Math.max(0, due.seconds),
    brokenRuns: broken.count,
    queued: queued.count,
    sends,
    ...ingest,
    differences: check[0]?.count ?? null,
    staleDays: stale.count,
  };
}
