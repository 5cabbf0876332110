import { matches } from '../events';
import { inOrder, type FactEvent, type Viewpoint } from '../facts';
import type { WhereTest } from '../compare';
import type { EventNeed, Need } from '../needs';
import { isWithin, type Hours, type Since } from '../when';

/** Of how many events at most is more looked at than that they are there: the newest, or the oldest where what counts is how long ago they are. */
export const MOST_ADDED = 1000;

/** Which events of a type a test is about. */
export interface Counted {
  readonly where?: readonly WhereTest[];
  readonly since: Since;
  readonly hours?: Hours;
}

/** Whether an event of the type counts, but for its moment. */
export const counts = (event: FactEvent, test: Counted, view: Viewpoint): boolean =>
  isOnRightSide(event, test.since, view) &&
  matches(event, test.where) &&
  (test.hours === undefined || isWithin(event.time, test.hours, view.zone));

/** What started the run came before entering, even where both bear the same moment; and what came after it did not lead up to it. */
export function isOnRightSide(event: FactEvent, since: Since, { about }: Viewpoint): boolean {
  if (since === 'entry') return event.id !== about?.eventId;
  if (since === 'start' && about?.eventId)
    return typeof about.at !== 'number' || inOrder(event, { time: about.at, id: about.eventId }) <= 0;
  return true;
}

/** How long a window slides back from now, or how long ago something has to be; neither where the bounds stand still. */
export const slides = (since: Since): { readonly last?: string; readonly ago?: string } =>
  typeof since === 'object' ? (since as object) : STILL;
const STILL = {};

/** What has to be loaded of the events that a test counts, and of what they have to have come after. */
export function needsOfCounted(
  event: string,
  { where = [], since, hours }: Counted,
  { times, ...more }: Pick<EventNeed, 'times' | 'also' | 'order'>,
): Need[] {
  const isAfter = typeof since === 'object' && 'after' in since;
  return [
    { kind: 'event', name: event, where, since: isAfter ? 'ever' : since, times, ...(hours && { hours }), ...more },
    ...(isAfter
      ? [{ kind: 'event' as const, name: since.after.event, where: since.after.where ?? [], since: 'ever' as const, times: 1 }]
      : []),
  ];
}

/** Whether what counts is only known inside a flow. */
export const isSinceFlow = ({ since }: Pick<Counted, 'since'>): boolean => since === 'entry' || since === 'start';
