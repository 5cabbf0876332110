import { randomUUID } from 'node:crypto';
import type { Db } from '@/data/db';
import { clearLoopFailures, recordLoopFailure } from '@/data/work';
import { log } from '../base';

/** How long a pass of the run loop may take before it counts as hanging. */
const LONGEST_PASS_MS = 60_000;
const LOOK_MS = 15_000;

/**
 * Watches the run loop of this process and records its failures where the web processes can read them, so that `/health`, the
 * metrics and Today report a loop that claims runs and doesn't finish, by failing or by hanging.
 */
export function watchLoop(db: Db, longestPassMs = LONGEST_PASS_MS): { pass<T>(work: () => Promise<T>): Promise<T>; stop(): void } {
  const process = randomUUID();
  let hasFailed = false;
  let beganAt: number | null = null;
  const record = async (error: string) => {
    hasFailed = true;
    // without a database there is nowhere to record it, and /health fails by itself
    await recordLoopFailure(db, process, error).catch((failure: Error) => log.warn({ watch: failure.message }));
  };
  const timer = setInterval(
    () => {
      const took = beganAt === null ? 0 : Date.now() - beganAt;
      if (took > longestPassMs) void record(`a pass of the run loop has not finished for ${Math.round(took / 1000)} seconds`);
    },
    Math.min(LOOK_MS, longestPassMs),
  );
  timer.unref();
  return {
    async pass(work) {
      beganAt = Date.now();
      try {
        const result = await work();
        if (hasFailed) {
          await clearLoopFailures(db, process);
          hasFailed = false;
        }
        return result;
      } catch (error) {
        await record((error as Error).message);
        throw error;
      } finally {
        beganAt = null;
      }
    },
    stop: () => clearInterval(timer),
  };
}
