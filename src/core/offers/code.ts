import { localClock, type Instant } from '../time';

/** Letters and digits of a code: none that is taken for another in print or on the phone (0 and O, 1, I and L, U and V). */
export const CODE_LETTERS = 'ABCDEFGHJKMNPQRSTVWXYZ23456789';

const LONGEST_PREFIX = 12;

/** What a filled-in prefix leaves of itself in a code: plain capital letters and digits, at most twelve. */
export function prefixOf(filled: string): string {
  return filled
    .normalize('NFKD')
    .replace(/ß/g, 'ss')
    .toUpperCase()
    .replace(/[^A-Z0-9]/g, '')
    .slice(0, LONGEST_PREFIX);
}

/** A code: the prefix, then so many letters drawn by lot (`draw` answers with whole numbers from 0 to below its argument). */
export function codeOf(prefix: string, letters: number, draw: (below: number) => number): string {
  const drawn = Array.from({ length: letters }, () => CODE_LETTERS[draw(CODE_LETTERS.length)]).join('');
  return prefix ? `${prefix}-${drawn}` : drawn;
}

const dayFormats = new Map<string, Intl.DateTimeFormat>();

/** Up to when a code counts, as a shopper reads it: "Friday 27 November", with the time of day where it is not the end of that day. */
export function sayExpires(expiresAt: Instant, zone: string): string {
  let format = dayFormats.get(zone);
  if (!format)
    dayFormats.set(zone, (format = new Intl.DateTimeFormat('en-GB', { weekday: 'long', day: 'numeric', month: 'long', timeZone: zone })));
  // its end is the first moment at which it does not count any more
  const last = expiresAt - 1;
  const { minutes } = localClock(expiresAt, zone);
  const day = format.format(last).replace(',', '');
  if (minutes === 0) return day;
  return `${day}, ${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`;
}
