import { addDuration, durationProblem, MINUTE, type Instant } from '@/core/time';
import type { Db } from '@/data/db';
import { openJobs } from '@/data/jobs';
import { isAnythingDue, nextDue } from '@/data/runs';
import { isDeliveryOpen } from '@/data/sends';
import { holdClock, moveClockTo, readStore, recordAct } from '@/data/store';
import { Problem } from './http/problem';
import { drain } from './runloop';

const PATIENCE_MS = 45_000;
/** In how many strides at most the clock crosses the time it is moved by. */
const STRIDES = 480;

/**
 * Moves store time forward, stopping at the moments at which something is due so that it happens then and not all at
 * the end, and answers when all of it has been done: runs moved, messages handed over, their delivery reported.
 */
export async function advanceClock(db: Db, scope: string, duration: string, actor: string): Promise<{ now: Instant; moved: number }> {
  const problem = durationProblem(duration);
  if (problem) throw new Problem(400, 'Not a duration', `"${duration.slice(0, 40)}" ${problem}.`, [{ field: 'advance', wrong: problem, right: 'an ISO 8601 duration such as PT1H or P1D' }]);
  return db.transaction(async (lock) => {
    if (!(await holdClock(lock))) throw new Problem(409, 'Clock is moving', 'Store time is being moved already; wait until that is done.');
    const store = await readStore(db);
    const target = addDuration(store.now, duration, store.zone);
    if (target - store.now > 370 * 86_400_000) throw new Problem(400, 'Too far', 'Store time moves by at most a year at once.', [{ field: 'advance', wrong: 'is more than a year', right: 'at most P1Y' }]);
    const stride = Math.max(MINUTE, Math.ceil((target - store.now) / STRIDES / MINUTE) * MINUTE);
    let moved = 0;
    for (;;) {
      const { now } = await readStore(db);
      const due = await nextDue(db);
      const next = due === null || due > target ? target : Math.min(target, Math.max(now, Math.ceil(due / stride) * stride));
      await moveClockTo(db, next);
      moved += await settle(db, scope, next);
      if (next >= target) break;
    }
    await recordAct(db, target, actor, 'clock.moved', { by: duration });
    return { now: (await readStore(db)).now, moved };
  });
}

/** Does what is due, and waits until the worker has carried out all that follows from it. */
async function settle(db: Db, scope: string, until: Instant): Promise<number> {
  let moved = 0;
  const deadline = Date.now() + PATIENCE_MS;
  for (let quiet = 0; ; ) {
    const count = await drain(db, scope);
    moved += count;
    if (count || (await openJobs(db)) || (await isAnythingDue(db, until)) || (await isDeliveryOpen(db))) {
      if (Date.now() > deadline) throw new Problem(503, 'Worker does not answer', 'Store time has moved, but what fell due has not all been carried out; see whether the worker is running.');
      if (!count) await new Promise((resolve) => setTimeout(resolve, 25));
      quiet = 0;
      continue;
    }
    if (!moved || quiet++ > 0) return moved;
  }
}
