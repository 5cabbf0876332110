import { MINUTE } from '@/core/time';

/** What keeps one domain whose mail server is slow or away from holding up all others. */
export interface Lanes {
  /**
   * For how long nothing is to be tried in a lane, in milliseconds; 0 when it may be tried now, null when others of it are in
   * hand and it has to wait for them.
   */
  wait(lane: string): number | null;
  /** Takes a place in a lane; the answer gives it back, with how it went. */
  enter(lane: string): (outcome: 'well' | 'badly') => void;
}

interface Lane {
  since: number[];
  failures: number;
  closedUntil: number;
}

/** How many of the places one lane may take while it is well. */
const MOST_IN_HAND = 6;
/** After so many failures in a row a lane is closed, for longer each time. */
const PATIENCE = 3;
const SHORTEST_MS = 5_000;
/** From when on what is on its way in a lane counts as slow. */
const SLOW_MS = 3_000;

/** A server that does not answer at all, whoever the mails are for. */
export interface Traffic {
  readonly domains: Lanes;
  readonly server: Lanes;
}

/**
 * The lanes of a process, with how many mails a second are handed over in all and to one domain; without a number, as many as are
 * taken. Of what several workers share each takes its part.
 */
export const openTraffic = ({
  perSecond = null,
  perDomain = null,
  workers = () => 1,
}: { perSecond?: number | null; perDomain?: number | null; workers?: () => number } = {}): Traffic => ({
  domains: openLanes({ perSecond: perDomain, workers }),
  server: openLanes({ most: Infinity, longestMs: MINUTE / 2, slowMs: Infinity, perSecond, workers }),
});

/** Opens lanes: one is closed for a while after some failures in a row, then tried with one at a time until it is well again. */
export function openLanes({
  now = Date.now,
  most = MOST_IN_HAND,
  longestMs = 5 * MINUTE,
  slowMs = SLOW_MS,
  perSecond = null,
  workers = () => 1,
}: {
  now?: () => number;
  most?: number;
  longestMs?: number;
  slowMs?: number;
  perSecond?: number | null;
  workers?: () => number;
} = {}): Lanes {
  const lanes = new Map<string, Lane>();
  // the generic cell rate algorithm (ITU-T I.371): when the next would be due if all came evenly, and how far ahead of it one may be
  const due = new Map<string, number>();
  const intervalMs = () => (perSecond === null ? 0 : (1000 / perSecond) * Math.max(1, workers()));
  const aheadMs = () => Math.max(0, 1000 - intervalMs());
  const tooSoonMs = (name: string): number => Math.max(0, (due.get(name) ?? 0) - aheadMs() - now());
  const pace = (name: string): void => {
    if (perSecond === null) return;
    // a lane that has been still for a second is like a new one
    if (due.size > 10_000) for (const [other, at] of due) if (at < now()) due.delete(other);
    due.set(name, Math.max(now(), due.get(name) ?? 0) + intervalMs());
  };
  return {
    wait(name) {
      const soonMs = tooSoonMs(name);
      // what is due in a moment is waited for; what is not is put off
      if (soonMs > 0) return soonMs < 1000 ? null : soonMs;
      const lane = lanes.get(name);
      if (!lane) return 0;
      if (lane.closedUntil > now()) return lane.closedUntil - now();
      // where one has been on its way for long, no other is sent after it
      return lane.since.length >= (lane.failures ? 1 : most) || now() - (lane.since[0] ?? now()) > slowMs ? null : 0;
    },
    enter(name) {
      pace(name);
      let lane = lanes.get(name);
      if (!lane) lanes.set(name, (lane = { since: [], failures: 0, closedUntil: 0 }));
      const own = lane;
      const began = now();
      own.since.push(began);
      return (outcome) => {
        own.since.splice(own.since.indexOf(began), 1);
        if (outcome === 'well') {
          own.failures = own.closedUntil = 0;
          if (!own.since.length) lanes.delete(name);
          return;
        }
        // those that were on their way when it was closed tell nothing new
        if (own.closedUntil > now()) return;
        own.failures += 1;
        if (own.failures >= PATIENCE) own.closedUntil = now() + Math.min(longestMs, SHORTEST_MS * 2 ** (own.failures - PATIENCE));
      };
    },
  };
}
