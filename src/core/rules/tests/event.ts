import * as z from 'zod';
import { sayElapsed, sooner, type Instant } from '../../time';
import { whereTest } from '../compare';
import { eventsOf, firstAfter } from '../events';
import { eventTypeSchema } from '../value';
import { beginsAnew, hoursSchema, isBefore, passesOut, sayHours, saySince, sinceSchema, spanOf } from '../when';
import { sayDone, sayTimes, sayWhere } from '../wording';
import { closerShape, isCloser, lookCloser, needsCloser, sayCloser } from './closer';
import { counts, isSinceFlow, needsOfCounted, slides } from './counted';
import type { TestKind } from './kind';

const often = z.int().min(0).max(10_000);
/** How often: at least so many times, exactly, at most, or from so many up to so many. */
export const timesSchema = z.union([
  z.int().min(1).max(10_000),
  z.strictObject({ exactly: often }),
  z.strictObject({ atMost: often }),
  z
    .strictObject({ from: often, to: often })
    .refine(({ from, to }) => from <= to, { message: 'ends before it begins', params: { right: 'the smaller number first' } }),
]);
export type Times = z.infer<typeof timesSchema>;

export const eventSchema = z.strictObject({
  test: z.enum(['did', 'didNot']),
  event: eventTypeSchema,
  /** once at least when it is left out; `didNot` holds where that does not */
  times: timesSchema.optional(),
  where: z.array(whereTest).max(20).optional(),
  ...closerShape,
  since: sinceSchema,
  /** only those at these times of the week */
  hours: hoursSchema.optional(),
});

export type EventTest = z.infer<typeof eventSchema>;

/** How often an event was seen, up to as often as was asked for, and when last. */
export interface SeenEvents {
  readonly times: number;
  readonly last: Instant | null;
}

/** Within which numbers a count has to be, and up to which one has to count to know. */
export function rangeOf(times: Times = 1): { least: number; most: number; enough: number } {
  if (times === 1) return ONCE;
  if (typeof times === 'number') return { least: times, most: Infinity, enough: times };
  const [least, most] =
    'exactly' in times ? [times.exactly, times.exactly] : 'atMost' in times ? [0, times.atMost] : [times.from, times.to];
  return { least, most, enough: most + 1 };
}

const ONCE = { least: 1, most: Infinity, enough: 1 };

/** What they did or did not. */
export const eventKind: TestKind<EventTest> = {
  look(test, facts, view) {
    const { least, most, enough } = rangeOf(test.times);
    const isHeld = (count: number) => (count >= least && count <= most) === (test.test === 'did');
    if (isCloser(test)) {
      const { times, last, until } = lookCloser(test, facts, view);
      return { holds: isHeld(times), until, saw: { times: Math.min(times, enough), last } satisfies SeenEvents };
    }
    const span = spanOf(test.since, view, facts);
    const { to } = span;
    const events = eventsOf(facts, test.event);
    const { last, ago } = slides(test.since);
    let count = 0;
    let newest: Instant | null = null;
    let until: Instant | null = null;
    if (ago !== undefined) {
      // what is not yet so long ago comes to be so: the count grows by itself, from the oldest on
      let [ready, coming] = [0, 0];
      for (const event of events) {
        if (ready + coming >= enough) break;
        if (!counts(event, test, view)) continue;
        if (event.time <= to) {
          ready += 1;
          newest = event.time;
        } else {
          coming += 1;
          // the count reaches the least that is asked for, or goes beyond the most
          if (ready + coming === least || ready + coming === most + 1) until = sooner(until, passesOut(event.time, ago, view));
        }
      }
      count = ready;
    } else {
      const ahead = firstAfter(events, view.now);
      // newest first, and no further back than is asked for
      for (let at = firstAfter(events, to) - 1; at >= 0 && count < enough; at--) {
        const event = events[at]!;
        if (isBefore(event, span)) break;
        if (!counts(event, test, view)) continue;
        count += 1;
        newest ??= event.time;
        // the count falls below the least, or comes back to the most, when this one slides out of the window
        if (last !== undefined && (count === least || count === most + 1)) until = passesOut(event.time, last, view);
      }
      // one that is stamped by a clock ahead of ours counts when its moment has come
      until = sooner(sooner(until, events[ahead]?.time ?? null), beginsAnew(test.since, facts, view.now));
    }
    return { holds: isHeld(count), until, saw: { times: count, last: newest } satisfies SeenEvents };
  },
  needs: (test) =>
    isCloser(test)
      ? needsCloser(test)
      : needsOfCounted(test.event, test, {
          times: rangeOf(test.times).enough,
          // the count up to the start is known from the oldest on, whatever came since
          ...(test.since === 'start' && { order: 'oldest' as const }),
        }),
  turns: () => true,
  isForFlows: isSinceFlow,
  says(test, wording) {
    const phrase = `${test.test === 'did' ? 'has' : 'has not'} ${sayDone(test.event)}`;
    const closer = sayCloser(test, wording.currency);
    const when = `${sayTimes(test.times)}${saySince(test.since)}${sayHours(test.hours)}`;
    return `${phrase}${sayWhere(test.where, wording.currency)}${closer}${test.then && when ? ',' : ''}${when}`;
  },
  saySaw(test, { saw }, _, at) {
    const { times, last } = saw as SeenEvents;
    if (last === null) return 'it did not happen';
    const { enough } = rangeOf(test.times);
    const often = times === 1 ? (enough === 1 ? '' : ' once') : times < enough ? ` ${times} times` : ` at least ${times} times`;
    return `it happened${often}, last ${sayElapsed(at - last)} before`;
  },
};
