import type { SendCalendarView } from '@/core/api';
import { DAY, dayAt, localDate, startOfDayNumber } from '@/core/time';
import type { Db } from '@/data/db';
import { sendDays } from '@/data/messages';
import { readStore } from '@/data/store';

const WEEKS = 26;

/** What went out on each day of the last half year, in whole weeks from a Monday on. */
export async function sendCalendar(db: Db): Promise<SendCalendarView> {
  const { now, zone, limits } = await readStore(db);
  const today = dayAt(now, zone);
  // day 0 was a Thursday, so that the Monday of its week was day -3
  const first = today - ((today + 3) % 7) - (WEEKS - 1) * 7;
  const rows = new Map((await sendDays(db, { since: startOfDayNumber(first, zone), until: now, zone })).map((row) => [row.day, row]));
  const days = Array.from({ length: today - first + 1 }, (_, n) => localDate(startOfDayNumber(first + n, zone) + DAY / 2, zone));
  return {
    days: days.map((day) => {
      const { sent, people, opened, clicked } = rows.get(day) ?? { sent: 0, people: 0, opened: 0, clicked: 0 };
      return { day, sent, people, opened, clicked, isClosed: limits?.closed.has(day) ?? false };
    }),
  };
}
