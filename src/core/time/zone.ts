import { Temporal } from 'temporal-polyfill';
import type { Instant } from './duration';

const known = new Map<string, boolean>();

/** True for a zone name of the IANA database, such as Europe/Amsterdam. */
export function isZone(name: string): boolean {
  let answer = known.get(name);
  if (answer === undefined) {
    try {
      new Intl.DateTimeFormat('en', { timeZone: name });
      answer = true;
    } catch {
      answer = false;
    }
    if (known.size > 1000) known.clear();
    known.set(name, answer);
  }
  return answer;
}

/** The instant at which the local day that holds `at` began in the zone. */
export function startOfDay(at: Instant, zone: string): Instant {
  return Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO(zone).startOfDay().epochMilliseconds;
}

/** The local calendar date of an instant, as YYYY-MM-DD. */
export function localDate(at: Instant, zone: string): string {
  return Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO(zone).toPlainDate().toString();
}

/** The instant at which a calendar date (YYYY-MM-DD) begins in the zone, or null when there is no such date. */
export function startOfDate(date: string, zone: string): Instant | null {
  if (!/^\d{4}-\d{2}-\d{2}$/.test(date) || parseInstant(`${date}T12:00:00Z`) === null) return null;
  return Temporal.PlainDate.from(date).toZonedDateTime(zone).epochMilliseconds;
}

/** The instant at which a calendar date is over in the zone: at which the next one begins. */
export const endOfDate = (date: string, zone: string): Instant =>
  Temporal.PlainDate.from(date).add({ days: 1 }).toZonedDateTime(zone).epochMilliseconds;

const EARLIEST = Date.UTC(2000, 0, 1);
const LATEST = Date.UTC(2100, 0, 1);
const RFC3339 = /^\d{4}-\d{2}-\d{2}[Tt]\d{2}:\d{2}:\d{2}(\.\d+)?([Zz]|[+-]\d{2}:\d{2})$/;

/** Reads an RFC 3339 time with its offset into an instant, or null when it is not one between 2000 and 2100. */
export function parseInstant(text: string): Instant | null {
  if (!RFC3339.test(text)) return null;
  const at = Date.parse(text);
  // Date.parse rolls 31 February over to March; the date must come back as written
  const day = Number(text.slice(8, 10));
  const month = Number(text.slice(5, 7));
  if (month < 1 || month > 12 || day < 1 || day > new Date(Date.UTC(Number(text.slice(0, 4)), month, 0)).getUTCDate()) return null;
  return Number.isFinite(at) && at >= EARLIEST && at < LATEST ? at : null;
}
