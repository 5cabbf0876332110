import * as z from 'zod';
import { anniversary, dayAt, dayNumber, startOfDayNumber, yearOfDay } from '../../time';
import { valueAt } from '../facts';
import { sayName } from '../wording';
import { propertyName, type Value } from '../value';
import type { TestKind } from './kind';

const FURTHEST = 36_600;
const days = z.int().min(-FURTHEST).max(FURTHEST);

/**
 * A day that is on file about the person, against today: it is from `from` up to `to` days ahead, both counted in, days gone
 * by below 0; one of the two may be left out. With `yearly` it comes round each year, as a birthday does.
 */
export const dateSchema = z
  .strictObject({ test: z.literal('date'), name: propertyName, yearly: z.boolean(), from: days.optional(), to: days.optional() })
  .superRefine(({ yearly, from, to }, ctx) => {
    const say = (path: string, message: string) => ctx.addIssue({ code: 'custom', path: [path], message });
    if (from === undefined && to === undefined) say('from', 'needs days: from, to, or both');
    if (from !== undefined && to !== undefined && from > to) say('to', 'must not be before "from"');
    if (!yearly) return;
    if (from === undefined || to === undefined) say(from === undefined ? 'from' : 'to', 'is needed for a day of each year');
    else if (Math.abs(from) > 366 || Math.abs(to) > 366) say('from', 'must be within a year of today, as must "to"');
  });
type DateTest = z.infer<typeof dateSchema>;

/** The day on file, or null where there is none: a text such as 2026-11-24. */
const dayOf = (value: Value | undefined): number | null => (typeof value === 'string' ? dayNumber(value) : null);

/** The days on which a test can turn: on which it begins to hold, and on which it has ceased to. */
function turns(test: DateTest, day: number, today: number): number[] {
  const all = test.yearly ? [-1, 0, 1, 2].map((by) => anniversary(day, yearOfDay(today) + by)) : [day];
  return all.flatMap((one) => [
    ...(test.to === undefined ? [] : [one - test.to]),
    ...(test.from === undefined ? [] : [one - test.from + 1]),
  ]);
}

function isWithinDays({ yearly, from = -Infinity, to = Infinity }: DateTest, day: number, today: number): boolean {
  const all = yearly ? [-1, 0, 1].map((by) => anniversary(day, yearOfDay(today) + by)) : [day];
  return all.some((one) => one - today >= from && one - today <= to);
}

const count = (n: number) => `${n} ${n === 1 ? 'day' : 'days'}`;

/** How far off, behind the name: "is in the next 7 days". */
export function sayDays({ yearly, from, to }: Pick<DateTest, 'yearly' | 'from' | 'to'>): string {
  const is = yearly ? 'comes round' : 'is';
  if (from === undefined) {
    if (to! < 0) return to === -1 ? `${is} before today` : `${is} ${count(-to!)} ago or longer`;
    return to === 0 ? `${is} today or before` : `${is} at most ${count(to!)} ahead`;
  }
  if (to === undefined) {
    if (from > 0) return from === 1 ? `${is} after today` : `${is} ${count(from)} ahead or more`;
    return from === 0 ? `${is} today or later` : `${is} at most ${count(-from)} ago`;
  }
  if (from === to) return from === 0 ? `${is} today` : from > 0 ? `${is} in ${count(from)}` : `${is} ${count(-from)} ago`;
  if (from === 0) return `${is} in the next ${count(to)}`;
  if (to === 0) return `${is} in the last ${count(-from)}`;
  if (from > 0) return `${is} in ${from} to ${count(to)}`;
  if (to < 0) return `${is} ${-to} to ${count(-from)} ago`;
  return `${is} from ${count(-from)} ago to ${count(to)} ahead`;
}

export const dateKind: TestKind<DateTest> = {
  look(test, facts, { now, zone }) {
    const value = valueAt(facts.attributes, test.name);
    const day = dayOf(value);
    if (day === null) return { holds: false, until: null, saw: value };
    const today = dayAt(now, zone);
    const next = turns(test, day, today).filter((one) => one > today);
    const until = next.length ? startOfDayNumber(Math.min(...next), zone) : null;
    return { holds: isWithinDays(test, day, today), until, saw: value };
  },
  needs: (test) => [{ kind: 'attribute', name: test.name }],
  turns: () => true,
  says: (test, wording) => `${wording.isWhose ? 'whose ' : ''}${sayName(test.name)} ${sayDays(test)}`,
  saySaw: (test, { saw }) => `${sayName(test.name)} was ${typeof saw === 'string' ? saw : 'not known'}`,
};
