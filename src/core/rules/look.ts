import { leavesWindow, windowStart, type Instant } from '../time';
import { compare } from './compare';
import { barrierOf, valueAt, type FactEvent, type Facts, type Happening, type Viewpoint } from './facts';
import { partsOf, type PropertyTest, type Rule, type Test } from './rule';

/** The answer to a rule. */
export interface Verdict {
  readonly holds: boolean;
  /** the first moment after now at which the answer could change without any new fact, or null when it cannot */
  readonly until: Instant | null;
}

/**
 * What was seen while a rule was looked at: plain data, from which {@link explain} makes the words. A test saw the value
 * of an attribute or property, a barrier of consent, or `{times, last}` of an event; a group saw its parts.
 */
export interface Seen {
  readonly holds: boolean;
  readonly saw?: unknown;
  readonly parts?: readonly Seen[];
}

export interface Looked extends Verdict {
  readonly seen: Seen;
}

/** How often an event was seen, up to as often as was asked for, and when last. */
export interface SeenEvents {
  readonly times: number;
  readonly last: Instant | null;
}

/** Looks at a rule with what is known of one person and says whether it holds, and until when at least. */
export function verdict(rule: Rule, facts: Facts, view: Viewpoint): Verdict {
  const parts = partsOf(rule);
  if (!parts) return lookAtTest(rule as Test, facts, view);
  // one part that decides is enough, and the answer stands as long as that part does
  const decides = !('all' in rule);
  let until: Instant | null = null;
  for (const part of parts) {
    const answer = verdict(part, facts, view);
    if (answer.holds === decides) return { holds: 'any' in rule, until: answer.until };
    until = sooner(until, answer.until);
  }
  return { holds: !('any' in rule), until };
}

/** Both: the verdict, and what was seen of all parts. */
export function look(rule: Rule, facts: Facts, view: Viewpoint): Looked {
  const { holds, until } = verdict(rule, facts, view);
  return { holds, until, seen: see(rule, facts, view) };
}

/** Looks at all parts of a rule and keeps what was seen: whether it holds, and why. */
export function see(rule: Rule, facts: Facts, view: Viewpoint): Seen {
  const parts = partsOf(rule);
  if (!parts) {
    const { holds, saw } = lookAtTest(rule as Test, facts, view);
    return saw === undefined ? { holds } : { holds, saw };
  }
  const seen = parts.map((part) => see(part, facts, view));
  const holds =
    'all' in rule ? seen.every((one) => one.holds) : 'any' in rule ? seen.some((one) => one.holds) : !seen.some((one) => one.holds);
  return { holds, parts: seen };
}

/** The earliest of several moments, null standing for never. */
export function earliest(moments: readonly (Instant | null)[]): Instant | null {
  let first: Instant | null = null;
  for (const moment of moments) first = sooner(first, moment);
  return first;
}

const sooner = (a: Instant | null, b: Instant | null): Instant | null => (a === null ? b : b === null || a < b ? a : b);

interface LookedAt extends Verdict {
  readonly saw?: unknown;
}

function lookAtTest(test: Test, facts: Facts, view: Viewpoint): LookedAt {
  switch (test.test) {
    case 'attribute': {
      const value = valueAt(facts.attributes, test.name);
      return { holds: compare(value, test), until: null, saw: value };
    }
    case 'trigger': {
      const value = view.about && valueAt(view.about.data, test.property);
      return { holds: compare(value, test), until: null, saw: value };
    }
    case 'consent': {
      const reach = facts.reach[test.channel];
      const barrier = barrierOf(reach, view.now);
      // a pause that the person asked for ends by itself
      const until = reach.pausedUntil !== null && reach.pausedUntil > view.now ? reach.pausedUntil : null;
      return { holds: (barrier === null) === test.reachable, until, saw: barrier };
    }
    case 'list':
      return { holds: facts.lists.includes(test.list) === test.member, until: null };
    case 'tag':
      return { holds: facts.tags.includes(test.tag) === test.has, until: null };
    case 'did':
    case 'didNot':
      return lookAtEvents(test, facts, view);
  }
}

/** Whether all tests on an event's properties hold. */
export function matches(event: Happening, where: readonly PropertyTest[] | undefined): boolean {
  return !where || where.every((test) => compare(valueAt(event.properties, test.property), test));
}

// the same facts are asked for by many rules: their events are sorted by type once, and those that are added later then
const sorted = new WeakMap<readonly FactEvent[], { size: number; readonly byType: Map<string, FactEvent[]> }>();
const NONE: readonly FactEvent[] = [];

/** The events of a type, ascending. A list of events may grow at its end while it is looked at, and in no other way. */
export function eventsOf(facts: Pick<Facts, 'events'>, type: string): readonly FactEvent[] {
  const { events } = facts;
  let known = sorted.get(events);
  if (!known) sorted.set(events, (known = { size: 0, byType: new Map() }));
  for (; known.size < events.length; known.size++) {
    const event = events[known.size]!;
    const own = known.byType.get(event.type);
    if (own) own.push(event);
    else known.byType.set(event.type, [event]);
  }
  return known.byType.get(type) ?? NONE;
}

/** The number of the first event after a moment, of events in order. */
export function firstAfter(events: readonly FactEvent[], moment: Instant): number {
  let low = 0;
  let high = events.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (events[middle]!.time > moment) high = middle;
    else low = middle + 1;
  }
  return low;
}

function lookAtEvents(test: Extract<Test, { test: 'did' | 'didNot' }>, facts: Facts, view: Viewpoint): LookedAt {
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
}
