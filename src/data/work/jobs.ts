import { query, type Sql } from '../db';

/** Adds jobs of one kind, a payload each, in the caller's transaction. */
export async function addJobs(sql: Sql, task: string, payloads: readonly object[], maxAttempts: number, afterMs = 0): Promise<void> {
  if (!payloads.length) return;
  await query(
    sql,
    `select graphile_worker.add_job(:task, payload := job, max_attempts := cast(:maxAttempts as int),
      run_at := now() + cast(:afterMs as float8) * interval '1 millisecond') from json_array_elements(cast(:payloads as json)) as job`,
    { task, maxAttempts, afterMs, payloads: JSON.stringify(payloads) },
  );
}

/** How many jobs wait to be carried out now, not counting those put off for a later attempt. */
export async function openJobs(sql: Sql): Promise<number> {
  const [row] = await query<{ count: number }>(
    sql,
    `select count(*)::int as count from graphile_worker.jobs where run_at <= now() and attempts < max_attempts`,
  );
  return row!.count;
}
