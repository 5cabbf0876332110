import { atClock, dayAt, type Instant } from '../time';
import type { ReportDocument } from './report';

/** The day of the week of a day number, 1 for Monday (ISO 8601): day 0, 1 January 1970, was a Thursday. */
const weekdayOf = (day: number): number => ((((day + 3) % 7) + 7) % 7) + 1;

/** When a report goes out next after a moment: on its day of the week, at its time in the store's zone; null where it goes to nobody. */
export function nextMail({ mail }: Pick<ReportDocument, 'mail'>, after: Instant, zone: string): Instant | null {
  if (!mail) return null;
  const today = dayAt(after, zone);
  const day = today + ((mail.weekday - weekdayOf(today) + 7) % 7);
  const at = atClock(day, mail.at, zone);
  return at > after ? at : atClock(day + 7, mail.at, zone);
}
