import { query, queryOne, type Sql } from '../db';

/** A run loop that has kept failing since it last succeeded. */
export interface StuckLoop {
  /** failures in a row, of all processes whose loop is failing */
  readonly failures: number;
  /** when the first of them failed, by the clock of the database server */
  readonly since: Date;
  readonly error: string;
}

/** How many failures in a row make a loop stuck: a restart of the database causes fewer. */
const FEWEST_FAILURES = 3;
/** A failing loop reports more often than this, so an older report comes from a process that has ended. */
const REPORT_LASTS = '2 minutes';

/** Records that the run loop of a process has failed or hangs. */
export async function recordLoopFailure(sql: Sql, process: string, error: string): Promise<void> {
  await query(
    sql,
    `insert into run_loop_failures (process, failures, error) values (:process, 1, :error)
     on conflict (process) do update set failures = run_loop_failures.failures + 1, at = now(), error = excluded.error`,
    { process, error: error.slice(0, 500) },
  );
}

/** Clears the failures of a process whose run loop has succeeded, and those of processes that have ended. */
export async function clearLoopFailures(sql: Sql, process: string): Promise<void> {
  await query(sql, `delete from run_loop_failures where process = :process or at < now() - interval '1 day'`, { process });
}

/** Finds out whether a run loop is stuck: it claims runs and doesn't finish. Null if all is well. */
export const findStuckLoop = (sql: Sql): Promise<StuckLoop | null> =>
  queryOne<StuckLoop>(
    sql,
    `select sum(failures)::int as failures, min(since) as since, (array_agg(error order by at desc))[1] as error
     from run_loop_failures where at > now() - interval '${REPORT_LASTS}' having sum(failures) >= ${FEWEST_FAILURES}`,
  );
