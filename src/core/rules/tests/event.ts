import { z } from 'zod';
import { leavesWindow, sayDuration, sayElapsed, sooner, windowStart, type Instant } from '../../time';
import { propertyTest } from '../compare';
import { eventsOf, firstAfter, matches } from '../events';
import { durationSchema, eventTypeSchema } from '../value';
import { sayDone, sayTimes, sayWhere } from '../wording';
import type { TestKind } from './kind';

/** Since when an event counts: ever, since the person entered this flow, or within a duration before now. */
const sinceSchema = z.union([z.literal('ever'), z.literal('entry'), z.strictObject({ last: durationSchema })]);

export const eventSchema = z.strictObject({
  test: z.enum(['did', 'didNot']),
  event: eventTypeSchema,
  /** at least so many times; `didNot` holds below that number */
  times: z.int().min(1).max(10_000).optional(),
  where: z.array(propertyTest).max(20).optional(),
  since: sinceSchema,
});

/** How often an event was seen, up to as often as was asked for, and when last. */
export interface SeenEvents {
  readonly times: number;
  readonly last: Instant | null;
}

/** What they did or did not. */
export const eventKind: TestKind<z.infer<typeof eventSchema>> = {
  look(test, facts, view) {
    const times = test.times ?? 1;
    const last = typeof test.since === 'object' ? test.since.last : null;
    const from = last ? windowStart(view.now, last, view.zone) : test.since === 'entry' ? (view.enteredAt ?? view.now) : -Infinity;
    const events = eventsOf(facts, test.event);
    const ahead = firstAfter(events, view.now);
    // newest first, and no further back than is asked for
    let count = 0;
    let newest: Instant | null = null;
    let oldest: Instant | null = null;
    for (let at = ahead - 1; at >= 0 && count < times; at--) {
      const event = events[at]!;
      // "since entering" takes in the moment of entry itself; a sliding window has just let go of its far edge
      if (last ? event.time <= from : event.time < from) break;
      // what started the run came before entering, even where both bear the same moment
      if (test.since === 'entry' && event.id === view.about?.eventId) continue;
      if (!matches(event, test.where)) continue;
      count += 1;
      newest ??= event.time;
      oldest = event.time;
    }
    const did = count >= times;
    // one that is stamped by a clock ahead of ours counts when its moment has come
    let until: Instant | null = events[ahead]?.time ?? null;
    // the count falls below `times` when the oldest event that is needed slides out of the window
    if (last && did) until = sooner(until, leavesWindow(oldest!, last, view.zone, view.now));
    return { holds: test.test === 'did' ? did : !did, until, saw: { times: count, last: newest } satisfies SeenEvents };
  },
  need: (test) => ({ kind: 'event', name: test.event, where: test.where ?? [], since: test.since, times: test.times ?? 1 }),
  says(test, wording) {
    const since =
      test.since === 'ever'
        ? ''
        : test.since === 'entry'
          ? ' since entering'
          : ` in the last ${sayDuration(test.since.last).replace(/^1 (\w+)$/, '$1')}`;
    const phrase = `${test.test === 'did' ? 'has' : 'has not'} ${sayDone(test.event)}`;
    return `${phrase}${sayWhere(test.where, wording.currency)}${sayTimes(test.times ?? 1)}${since}`;
  },
  saySaw(test, { saw }, _, at) {
    const { times, last } = saw as SeenEvents;
    if (last === null) return 'it did not happen';
    const asked = test.times ?? 1;
    const often = times === 1 ? (asked === 1 ? '' : ' once') : times < asked ? ` ${times} times` : ` at least ${times} times`;
    return `it happened${often}, last ${sayElapsed(at - last)} before`;
  },
};
