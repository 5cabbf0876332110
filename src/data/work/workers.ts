import type { Client } from 'pg';
import { query, type Sql } from '../db';

/** First half of the advisory locks by which workers show that they live. */
export const ALIVE = 7445;

/**
 * Enters a worker on a connection of its own and takes its advisory lock; the lock ends with the connection,
 * however the process ends. Answers with the worker's number.
 */
export async function enterWorker(alive: Client): Promise<number> {
  const { rows } = await alive.query<{ number: string }>('insert into workers default values returning number');
  const number = Number(rows[0]!.number);
  await alive.query('select pg_advisory_lock($1, $2)', [ALIVE, number]);
  return number;
}

/** Notes under which ids a worker takes jobs. */
export async function notePools(alive: Client, number: number, pools: readonly string[]): Promise<void> {
  await alive.query('update workers set job_pools = $2 where number = $1', [number, pools]);
}

export async function leaveWorker(alive: Client, number: number): Promise<void> {
  await alive.query('delete from workers where number = $1', [number]);
}

/**
 * Takes workers off whose lock is free, for they are gone, and gives back the jobs in the hands of nobody who lives.
 * A job carried out twice is harmless, for each send is held while it goes out. Answers with the numbers of the gone.
 */
export async function releaseGone(alive: Client, own: number): Promise<number[]> {
  const { rows } = await alive.query<{ number: string }>(
    'select number from workers where number <> $1 and pg_try_advisory_lock($2, number::int)',
    [own, ALIVE],
  );
  for (const row of rows) {
    await leaveWorker(alive, Number(row.number));
    await alive.query('select pg_advisory_unlock($1, $2)', [ALIVE, Number(row.number)]);
  }
  const held = await alive.query<{ pool: string }>(
    `select distinct locked_by as pool from graphile_worker.jobs where locked_by is not null
       and locked_by not in (select unnest(job_pools) from workers) and (locked_at < now() - interval '10 seconds' or $1)`,
    [rows.length > 0],
  );
  if (held.rows.length) await alive.query('select graphile_worker.force_unlock_workers($1)', [held.rows.map((row) => row.pool)]);
  return rows.map((row) => Number(row.number));
}

/** How many workers live at this moment. */
export async function livingWorkers(sql: Sql): Promise<number> {
  const [row] = await query<{ workers: number }>(
    sql,
    `select count(*)::int as workers from pg_locks where locktype = 'advisory' and classid = ${ALIVE} and granted and database = (select oid
      from pg_database where datname = current_database())`,
  );
  return row!.workers;
}
