import { matches } from '../events';
import type { FactEvent, Viewpoint } from '../facts';
import type { WhereTest } from '../compare';
import { isWithin, type Hours, type Since } from '../when';

/** Which events of a type a test is about. */
export interface Counted {
  readonly where?: readonly WhereTest[];
  readonly since: Since;
  readonly hours?: Hours;
}

/** Whether an event of the type counts, but for its moment: what started the run came before entering, even where both bear the same moment. */
export const counts = (event: FactEvent, test: Counted, view: Viewpoint): boolean =>
  !(test.since === 'entry' && event.id === view.about?.eventId) &&
  matches(event, test.where) &&
  (test.hours === undefined || isWithin(event.time, test.hours, view.zone));

/** How long a window slides back from now, or how long ago something has to be; neither where the bounds stand still. */
export const slides = (since: Since): { readonly last?: string; readonly ago?: string } =>
  typeof since === 'object' ? (since as object) : STILL;
const STILL = {};
