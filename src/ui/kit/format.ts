const dayTimes = new Map<string, Intl.DateTimeFormat>();

function formatter(zone: string, options: Intl.DateTimeFormatOptions): Intl.DateTimeFormat {
  const id = zone + JSON.stringify(options);
  let one = dayTimes.get(id);
  if (!one) dayTimes.set(id, (one = new Intl.DateTimeFormat('en-GB', { timeZone: zone, ...options })));
  return one;
}

/** 24 Nov 2026, 09:30, in the store's zone. */
export const sayMoment = (at: string | number, zone: string) =>
  formatter(zone, { day: 'numeric', month: 'short', year: 'numeric', hour: '2-digit', minute: '2-digit' }).format(new Date(at));
/** 09:30:05 */
export const sayTime = (at: string | number, zone: string) =>
  formatter(zone, { hour: '2-digit', minute: '2-digit', second: '2-digit' }).format(new Date(at));
/** The moment as a file and a sort want it: 2026-11-24T09:30:00Z. */
export const isoOf = (at: string | number) => new Date(at).toISOString().replace('.000Z', 'Z');
/** Tuesday 24 November 2026 */
export const sayDay = (at: string | number, zone: string) =>
  formatter(zone, { weekday: 'long', day: 'numeric', month: 'long', year: 'numeric' }).format(new Date(at));
/** 24 Nov 2026 */
export const sayDate = (at: string | number, zone: string) =>
  formatter(zone, { day: 'numeric', month: 'short', year: 'numeric' }).format(new Date(at));
/** 24 Nov, of a calendar day "2026-11-24", which is the same everywhere */
export const sayCalendarDay = (day: string) => formatter('UTC', { day: 'numeric', month: 'short' }).format(new Date(`${day}T12:00:00Z`));
/** Nov 2026, of a calendar day "2026-11-01" */
export const sayCalendarMonth = (day: string) => formatter('UTC', { month: 'short', year: 'numeric' }).format(new Date(`${day}T12:00:00Z`));
/** Tue 24 Nov 09:30 */
export const sayShort = (at: string | number, zone: string) =>
  formatter(zone, { weekday: 'short', day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' }).format(new Date(at));

const whole = new Intl.NumberFormat('en-IE');
/** 12,345 */
export const sayCount = (count: number) => whole.format(count);
/** "1 person", "2 people" */
export const plural = (count: number, one: string, many: string) => `${sayCount(count)} ${count === 1 ? one : many}`;

/** A length in hours, in days where it is whole ones: "12 hours", "14 days" */
export const sayHours = (hours: number) => (hours % 24 ? plural(hours, 'hour', 'hours') : plural(hours / 24, 'day', 'days'));

const list = new Intl.ListFormat('en-GB');
/** "Ada, Ben and Cleo" */
export const sayNames = (names: readonly string[]) => list.format(names);

/** A share that is known in per cent, to a tenth: "12.5 %", "12 %" */
export const percent = (share: number): string => `${Math.round(share * 1000) / 10} %`;

/** A share in per cent with one digit, or null where there is nothing to take a share of. */
export function sayShare(part: number, whole_: number): string | null {
  return whole_ > 0 ? `${((100 * part) / whole_).toFixed(1)} %` : null;
}
