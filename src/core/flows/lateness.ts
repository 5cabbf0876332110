import { DAY } from '../time';

/** How late an event may arrive and still begin a flow, or change what has begun: history that is loaded begins nothing. */
export const LATEST_MS = 7 * DAY;
