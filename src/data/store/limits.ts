import Holidays from 'date-holidays';
import { NO_LIMITS, type Limits, type LimitsDocument } from '@/core/limits';
import type { Instant } from '@/core/time';

const ofYears = new Map<string, readonly string[]>();

/** The public holidays of a country (ISO 3166 alpha-2) in a year, as dates; those of parts of it left out. */
export function publicHolidays(country: string, year: number): readonly string[] {
  const key = `${country}/${year}`;
  let days = ofYears.get(key);
  if (!days) {
    const all = new Holidays(country).getHolidays(year) ?? [];
    ofYears.set(key, (days = [...new Set(all.filter(({ type }) => type === 'public').map(({ date }) => date.slice(0, 10)))].sort()));
  }
  return days;
}

/** Whether the public holidays of a country are known. */
export const hasHolidays = (country: string): boolean => country in new Holidays().getCountries();

const known = new Map<string, Limits>();

/** Limits with the days on which nothing goes out, in the year of a moment and those beside it; null where nothing is limited. */
export function limitsAt(document: LimitsDocument | null, now: Instant): Limits | null {
  if (!document) return null;
  const year = new Date(now).getUTCFullYear();
  const key = JSON.stringify([document, year]);
  let limits = known.get(key);
  if (!limits) {
    const { closed, holidaysOf, ...rest } = document;
    const holidays = holidaysOf ? [year - 1, year, year + 1].flatMap((one) => publicHolidays(holidaysOf, one)) : [];
    if (known.size > 50) known.clear();
    known.set(key, (limits = { ...NO_LIMITS, ...rest, closed: new Set([...closed, ...holidays]) }));
  }
  const isNothing = limits.gap === null && !limits.caps.length && limits.hours === null && !limits.closed.size && !limits.control;
  return isNothing ? null : limits;
}
