import { localClock, type Instant } from '../time';

/** How far back openings are looked at, how many of them at most, and how many tell of an hour at least. */
export const OPENS_WITHIN = 'P90D';
export const OPENS_LOOKED_AT = 100;
export const FEWEST_OPENS = 3;

/** An hour beside another counts for half of it: who opens at five to seven and at five past is there about seven. */
const BESIDE = 0.5;

/**
 * The hour of the day, 0 to 23, at which somebody mostly opens what they get, by the clocks of a zone: the one with the most
 * openings about it (those of the hours beside it count half); of several alike the earliest. Null where fewer than
 * {@link FEWEST_OPENS} openings are known. Openings that a mail program fetches by itself cannot be told apart from those of people.
 */
export function bestHour(opens: readonly Instant[], zone: string): number | null {
  if (opens.length < FEWEST_OPENS) return null;
  const by = Array.from({ length: 24 }, () => 0);
  for (const at of opens) by[Math.floor(localClock(at, zone).minutes / 60)]! += 1;
  const about = by.map((own, hour) => own + BESIDE * (by[(hour + 23) % 24]! + by[(hour + 1) % 24]!));
  return about.indexOf(Math.max(...about));
}
