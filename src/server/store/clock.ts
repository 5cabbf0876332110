import { addDuration, durationProblem, MINUTE, parseInstant, type Instant } from '@/core/time';
import type { Db } from '@/data/db';
import { openJobs } from '@/data/work';
import { isAnythingDue, nextDue } from '@/data/flows';
import { isDeliveryOpen } from '@/data/messages';
import { holdClock, moveClockTo, readStore, recordAct } from '@/data/store';
import { Problem } from '../http';
import { pass } from '../flows';

/** How long the clock waits while nothing of what fell due gets less, and how long altogether before it answers how far it came. */
const PATIENCE_MS = 30_000;
const LONGEST_MS = 100_000;
/** In how many strides at most the clock crosses the time it is moved by. */
const STRIDES = 480;

/** How far store time is to be moved: by a duration, or to a moment. */
export type Move = { readonly advance: string } | { readonly to: string };

/** Where the clock stands after a move: it may not have come all the way when much fell due. */
export interface Moved {
  readonly now: Instant;
  readonly moved: number;
  readonly target: Instant;
  readonly isThere: boolean;
}

function targetOf(move: Move, now: Instant, zone: string): Instant {
  if ('to' in move) {
    const at = parseInstant(move.to);
    if (at === null)
      throw new Problem(400, 'Not a time', `"${move.to.slice(0, 40)}" is not a time.`, [
        { field: 'to', wrong: 'is not a time', right: 'RFC 3339 with its offset, such as 2026-11-24T09:30:00Z' },
      ]);
    return Math.max(at, now);
  }
  const problem = durationProblem(move.advance);
  if (problem)
    throw new Problem(400, 'Not a duration', `"${move.advance.slice(0, 40)}" ${problem}.`, [
      { field: 'advance', wrong: problem, right: 'an ISO 8601 duration such as PT1H or P1D' },
    ]);
  return addDuration(now, move.advance, zone);
}

/**
 * Moves store time forward, stopping at the moments at which something is due so that it happens then and not all at
 * the end, and answers when all of it has been done: runs moved, messages handed over, their delivery reported. When that
 * takes too long it answers how far it came, and can be asked again for the rest.
 */
export async function advanceClock(db: Db, move: Move, actor: string, longestMs = LONGEST_MS): Promise<Moved> {
  return db.transaction(async (lock) => {
    if (!(await holdClock(lock))) throw new Problem(409, 'Clock is moving', 'Store time is being moved already; wait until that is done.');
    const store = await readStore(db);
    const target = targetOf(move, store.now, store.zone);
    if (target - store.now > 370 * 86_400_000)
      throw new Problem(400, 'Too far', 'Store time moves by at most a year at once.', [
        { field: Object.keys(move)[0]!, wrong: 'is more than a year', right: 'at most P1Y' },
      ]);
    const stride = Math.max(MINUTE, Math.ceil((target - store.now) / STRIDES / MINUTE) * MINUTE);
    const until = Date.now() + longestMs;
    let moved = 0;
    let isThere = false;
    while (!isThere) {
      const { now } = await readStore(db);
      const due = await nextDue(db);
      const next = due === null || due > target ? target : Math.min(target, Math.max(now, Math.ceil(due / stride) * stride));
      await moveClockTo(db, next);
      const settled = await settle(db, next, until);
      moved += settled.moved;
      if (!settled.isDone) break;
      isThere = next >= target;
    }
    await recordAct(db, target, actor, 'clock.moved', { ...move });
    return { now: (await readStore(db)).now, moved, target, isThere };
  });
}

/**
 * Does what is due, and waits until the worker has carried out all that follows from it, while that gets less. What is due is asked
 * first: a stride in which nothing is costs one question, not a passage through everything that could be.
 */
async function settle(db: Db, due: Instant, until: number): Promise<{ moved: number; isDone: boolean }> {
  let moved = 0;
  let [least, patience] = [Infinity, Date.now() + PATIENCE_MS];
  for (let quiet = 0; ;) {
    const isDue = await isAnythingDue(db, due);
    const count = isDue ? await pass(db) : 0;
    moved += count;
    const open = count ? 0 : await openJobs(db);
    if (isDue || open || (await isDeliveryOpen(db))) {
      if (count || open < least) [least, patience] = [count ? Infinity : open, Date.now() + PATIENCE_MS];
      if (Date.now() > Math.min(until, patience)) return { moved, isDone: false };
      if (!count) await new Promise((resolve) => setTimeout(resolve, 10));
      quiet = 0;
      continue;
    }
    if (!moved || quiet++ > 0) return { moved, isDone: true };
  }
}
