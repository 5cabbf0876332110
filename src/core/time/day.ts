import { Temporal } from 'temporal-polyfill';
import { DAY, type Instant } from './duration';
import { localDate } from './zone';

const DATE = /^(\d{4})-(\d{2})-(\d{2})$/;
const daysIn = (year: number, month: number): number => new Date(Date.UTC(year, month, 0)).getUTCDate();

// the calendar is asked the same for very many people: what it said is kept for a while
const days = new Map<string, number>();
const starts = new Map<string, Instant>();
const MOST_KEPT = 4000;
function kept(known: Map<string, number>, id: string, find: () => number): number {
  let found = known.get(id);
  if (found === undefined) {
    found = find();
    if (known.size >= MOST_KEPT) known.clear();
    known.set(id, found);
  }
  return found;
}

/** A day of the calendar as a number: days since 1 January 1970. Null where the text is no date (YYYY-MM-DD, from the year 1 on). */
export function dayNumber(date: string): number | null {
  const parts = DATE.exec(date);
  if (!parts) return null;
  const [year, month, day] = [Number(parts[1]), Number(parts[2]), Number(parts[3])];
  if (year < 1 || month < 1 || month > 12 || day < 1) return null;
  const first = new Date(0);
  first.setUTCFullYear(year, month - 1, 1);
  if (day > new Date(Date.UTC(2000 + (year % 400), month, 0)).getUTCDate()) return null;
  return Math.round(first.getTime() / DAY) + day - 1;
}

/** The day that it is at a moment, by the calendar of a zone, as a number. */
export const dayAt = (at: Instant, zone: string): number => kept(days, `${zone} ${at}`, () => dayNumber(localDate(at, zone))!);

/** The moment at which a day begins in a zone. */
export function startOfDayNumber(day: number, zone: string): Instant {
  return kept(starts, `${zone} ${day}`, () => {
    const { year, month, date } = partsOfDay(day);
    return Temporal.PlainDate.from({ year, month, day: date }).toZonedDateTime(zone).epochMilliseconds;
  });
}

function partsOfDay(day: number): { year: number; month: number; date: number } {
  const at = new Date(day * DAY);
  return { year: at.getUTCFullYear(), month: at.getUTCMonth() + 1, date: at.getUTCDate() };
}

/** The same day of another year; 29 February is the 28th where there is none. */
export function anniversary(day: number, year: number): number {
  const { month, date } = partsOfDay(day);
  const at = new Date(0);
  at.setUTCFullYear(year, month - 1, Math.min(date, daysIn(2000 + (year % 400), month)));
  return Math.round(at.getTime() / DAY);
}

/** The year of a day. */
export const yearOfDay = (day: number): number => partsOfDay(day).year;
