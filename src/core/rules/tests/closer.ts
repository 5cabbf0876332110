import * as z from 'zod';
import { approximateMs, sayDuration, sooner, type Instant } from '../../time';
import { whereTest, type WhereTest } from '../compare';
import { eventsOf, firstAfter, matches } from '../events';
import { inOrder, valueAt, type FactEvent, type Facts, type Viewpoint } from '../facts';
import type { Need } from '../needs';
import { durationSchema, propertyName, type Value } from '../value';
import { happenedSchema, isBefore, isWithin, passesOut, spanOf } from '../when';
import { sayDone, sayEventOf, sayName, sayWhere } from '../wording';
import { isOnRightSide, MOST_ADDED, needsOfCounted, slides, type Counted } from './counted';

/** What came after an event: that it did, or that it did not. */
export interface Then {
  readonly event: string;
  readonly where?: readonly WhereTest[] | undefined;
  /** the property that both bear with the same value: the same message, cart or order */
  readonly by?: string | undefined;
  /** how long after it at most, by the clock: a day is 24 hours */
  readonly within?: string | undefined;
  /** what must not have come between */
  readonly without?: z.infer<typeof happenedSchema> | undefined;
  readonly did: boolean;
  /** and what came after that */
  readonly then?: Then | undefined;
}

const exactly = durationSchema.refine((text) => !/^P[^T]*[YM]/.test(text), {
  message: 'has months or years, which are of unlike length',
  params: { right: 'weeks, days, hours or minutes' },
});
const MOST_LINKS = 4;
const linksOf = (then: Then | undefined): number => (then ? 1 + linksOf(then.then) : 0);

const looseThen: z.ZodType<Then> = z.lazy(() =>
  z.strictObject({
    ...happenedSchema.shape,
    by: propertyName.optional(),
    within: exactly.optional(),
    without: happenedSchema.optional(),
    did: z.boolean(),
    then: looseThen.optional(),
  }),
);
const nth = z.int().min(1).max(100);
/** What a test of events may ask beside how many there are. */
export const closerShape = {
  /** only the first or the last so many that match, of all there ever were */
  pick: z.union([z.strictObject({ first: nth }), z.strictObject({ last: nth })]).optional(),
  /** what is asked of those that were picked */
  meets: z.array(whereTest).min(1).max(20).optional(),
  then: looseThen
    .refine((then) => linksOf(then) <= MOST_LINKS, { message: `has more than ${MOST_LINKS} links`, params: { right: 'a shorter chain' } })
    .optional(),
};

/** A test of events that asks more of them than how many there are. */
export interface Closer extends Counted {
  readonly event: string;
  readonly pick?: { readonly first: number } | { readonly last: number } | undefined;
  readonly meets?: readonly WhereTest[] | undefined;
  readonly then?: Then | undefined;
}

export const isCloser = ({ pick, meets, then }: Closer): boolean => pick !== undefined || meets !== undefined || then !== undefined;

/** How many of the events count, when the last of them was, and until when that stands at least. */
export function lookCloser(test: Closer, facts: Facts, view: Viewpoint): { times: number; last: Instant | null; until: Instant | null } {
  const { now, zone } = view;
  const span = spanOf(test.since, view, facts);
  const { last, ago } = slides(test.since);
  const all = eventsOf(facts, test.event);
  let until = aheadOf(test, facts, now);
  let times = 0;
  let newest: Instant | null = null;
  for (const event of picked(test, all, now)) {
    // what is in the window leaves it, and what is not yet so long ago comes to be so
    const passes = last ?? ago;
    if (passes !== undefined && (last !== undefined ? !isBefore(event, span) : event.time > span.to))
      until = sooner(until, passesOut(event.time, passes, view));
    if (isBefore(event, span) || event.time > span.to || !isOnRightSide(event, test.since, view)) continue;
    if (!isWithin(event.time, test.hours, zone) || !matches(event, test.meets)) continue;
    if (test.then) {
      const answer = follows(event, test.then, facts, now);
      until = sooner(until, answer.until);
      if (!answer.holds) continue;
    }
    times += 1;
    newest = event.time;
  }
  return { times, last: newest, until };
}

/** The events that are picked, ascending. */
function picked({ pick, where }: Closer, events: readonly FactEvent[], now: Instant): readonly FactEvent[] {
  const found: FactEvent[] = [];
  if (pick && 'first' in pick) {
    for (const event of events) {
      if (event.time > now || found.length === pick.first) break;
      if (matches(event, where)) found.push(event);
    }
    return found;
  }
  const most = pick ? pick.last : MOST_ADDED;
  for (let at = firstAfter(events, now) - 1; at >= 0 && found.length < most; at--) if (matches(events[at]!, where)) found.push(events[at]!);
  return found.reverse();
}

const sameAs = (a: Value | undefined, b: Value | undefined): boolean => (typeof a === 'string' || typeof a === 'number') && a === b;

/** Whether that came after an event which is asked for, and until when the answer stands. */
function follows(event: FactEvent, then: Then, facts: Facts, now: Instant): { holds: boolean; until: Instant | null } {
  const over = then.within === undefined ? Infinity : event.time + approximateMs(then.within);
  const own = then.by === undefined ? undefined : valueAt(event.properties, then.by);
  let until: Instant | null = null;
  let came = false;
  const between = then.without && eventsOf(facts, then.without.event);
  for (const next of eventsOf(facts, then.event)) {
    if (next.time > now || next.time >= over) break;
    if (inOrder(next, event) <= 0 || !matches(next, then.where)) continue;
    if (then.by !== undefined && !sameAs(own, valueAt(next.properties, then.by))) continue;
    if (between?.some((one) => inOrder(one, event) > 0 && inOrder(one, next) < 0 && matches(one, then.without!.where))) continue;
    if (then.then) {
      const further = follows(next, then.then, facts, now);
      until = sooner(until, further.until);
      if (!further.holds) continue;
    }
    came = true;
    break;
  }
  if (then.did) return { holds: came, until };
  // that it did not come is known once its time is over
  if (over !== Infinity && over > now) until = sooner(until, over);
  return { holds: !came && (over === Infinity || over <= now), until };
}

/** When the first event comes to count that is stamped by a clock ahead of ours. */
function aheadOf(test: Closer, facts: Facts, now: Instant): Instant | null {
  let until: Instant | null = null;
  for (const type of typesOf(test)) {
    const events = eventsOf(facts, type);
    until = sooner(until, events[firstAfter(events, now)]?.time ?? null);
  }
  return until;
}

/** All types of events that a test looks at. */
export function typesOf({ event, since, then }: Closer): string[] {
  const types = [event];
  if (typeof since === 'object' && 'after' in since) types.push(since.after.event);
  for (let link = then; link; link = link.then) types.push(link.event, ...(link.without ? [link.without.event] : []));
  return [...new Set(types)];
}

export function needsCloser({ event, pick, meets = [], then, where, since, hours }: Closer): Need[] {
  const bys = (link: Then | undefined): string[] => (link ? [...(link.by === undefined ? [] : [link.by]), ...bys(link.then)] : []);
  const also = [...meets.map(({ property }) => property), ...bys(then)];
  const isAfter = typeof since === 'object' && 'after' in since;
  const needs = needsOfCounted(
    event,
    // what is picked is picked of all that there ever were, at any time of the week
    pick ? { ...(where && { where }), since: isAfter ? since : 'ever' } : { ...(where && { where }), since, ...(hours && { hours }) },
    {
      times: !pick ? MOST_ADDED : 'first' in pick ? pick.first : pick.last,
      also,
      ...((since === 'start' || (pick && 'first' in pick)) && { order: 'oldest' as const }),
    },
  );
  for (let link = then; link; link = link.then) {
    needs.push({ kind: 'event', name: link.event, where: link.where ?? [], since: 'ever', times: MOST_ADDED, also: bys(then) });
    if (link.without)
      needs.push({ kind: 'event', name: link.without.event, where: link.without.where ?? [], since: 'ever', times: MOST_ADDED });
  }
  return needs;
}

/** What both are about, behind "the same". */
const SAME: { readonly [by: string]: string } = { sendId: 'message', cartId: 'cart', orderId: 'order', run: 'passage' };

/** What is asked beside, behind the event: ", the last time, and then opened a message (the same message)". */
export function sayCloser({ pick, meets, then }: Omit<Closer, 'event' | 'since'>, currency?: string): string {
  const [n, which] = !pick ? [0, ''] : 'first' in pick ? [pick.first, 'first'] : [pick.last, 'last'];
  const pickedOf = n === 0 ? '' : n === 1 ? `, the ${which} time` : `, of the ${which} ${n}`;
  const met = meets ? `${n === 1 ? ' one' : ''}${sayWhere(meets, currency)}` : '';
  let says = `${pickedOf}${met}`;
  for (let link = then; link; link = link.then) {
    const same = link.by === undefined ? '' : ` (the same ${SAME[link.by] ?? sayName(link.by)})`;
    const within = link.within === undefined ? '' : ` within ${sayDuration(link.within)}`;
    const without = link.without ? `, and not ${sayEventOf(link.without, currency)} between` : '';
    const lead = `${says && link === then ? ',' : ''} and then${link.did ? '' : ' not'}`;
    says += `${lead} ${sayDone(link.event)}${sayWhere(link.where, currency)}${same}${within}${without}`;
  }
  return says;
}
