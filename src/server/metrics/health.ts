import type { Db } from '@/data/db';
import { findStuckLoop, livingWorkers } from '@/data/work';

/** The health of the store: what answers and what doesn't. */
export interface Health {
  readonly status: 'ok' | 'failing';
  readonly database: string;
  readonly workers: number;
  readonly runLoop: string;
}

/** Checks whether the database answers, a worker is alive and the run loop finishes what it claims. */
export async function health(db: Db): Promise<Health> {
  try {
    const [workers, stuck] = await Promise.all([livingWorkers(db), findStuckLoop(db)]);
    return {
      status: workers > 0 && !stuck ? 'ok' : 'failing',
      database: 'ok',
      workers,
      runLoop: stuck ? 'claims runs and does not finish' : 'ok',
    };
  } catch {
    return { status: 'failing', database: 'does not answer', workers: 0, runLoop: 'unknown' };
  }
}
