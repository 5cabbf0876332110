import { dayAt, startOfDayNumber, type Instant } from '../time';
import type { FlowDocument } from './document';

/**
 * How many may still enter a flow that takes so many a day, by the calendar of the store. It is shared by all who want to enter and
 * counts down as they do: whoever moves runs says so with `take`; {@link advance} only asks.
 */
export interface Places {
  left(at: Instant): number;
  take(at: Instant): void;
}

/** The places of a flow, of which some are taken already, by the number of the day; null where it takes any number. */
export function placesOf({ perDay }: Pick<FlowDocument, 'perDay'>, zone: string, taken: ReadonlyMap<number, number>): Places | null {
  if (!perDay) return null;
  const counts = new Map(taken);
  return {
    left: (at) => perDay.most - (counts.get(dayAt(at, zone)) ?? 0),
    take: (at) => void counts.set(dayAt(at, zone), (counts.get(dayAt(at, zone)) ?? 0) + 1),
  };
}

/** The first moment of the day after. */
export const nextDay = (at: Instant, zone: string): Instant => startOfDayNumber(dayAt(at, zone) + 1, zone);
