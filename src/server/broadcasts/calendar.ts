import type { CalendarDay, CalendarView } from '@/core/api';
import { isTimed, nextMessageAfter, nextOccasion, whoIsDue, type FlowDocument } from '@/core/flows';
import { DAY, dayAt, localClock, localDate, startOfDayNumber, dayNumber, type Instant } from '@/core/time';
import { broadcastRows, overlapOf, sentByDay, waitsByDay } from '@/data/broadcasts';
import type { Db } from '@/data/db';
import { readVersion } from '@/data/flows';
import { readStore } from '@/data/store';
import { Problem } from '../http';
import { listOfBroadcasts } from './broadcasts';

const MOST_DAYS = 62;
/** Of how many people at least it is pointed out that they get more than one broadcast on neighbouring days. */
const FEWEST_TWICE = 50;
const many = (n: number, one: string, more: string) => `${n.toLocaleString('en-IE')} ${n === 1 ? one : more}`;

/** What goes out from one day to another, by the calendar of the store; today's month where no days are named. */
export async function calendarOf(db: Db, url: URL): Promise<CalendarView> {
  const store = await readStore(db);
  const { now, zone, limits, world } = store;
  const today = dayAt(now, zone);
  const asked = (name: string, otherwise: number): number => {
    const text = url.searchParams.get(name);
    if (text === null) return otherwise;
    const day = dayNumber(text);
    if (day === null || !/^\d{4}-\d{2}-\d{2}$/.test(text))
      throw new Problem(400, 'Not a day', 'Nothing was read.', [{ field: name, wrong: 'is not a day', right: 'a day such as 2026-12-24' }]);
    return day;
  };
  const from = asked('from', today);
  const to = asked('to', from + 27);
  if (to < from || to - from >= MOST_DAYS)
    throw new Problem(400, 'Not a stretch of days', 'Nothing was read.', [
      {
        field: 'to',
        wrong: to < from ? 'is before "from"' : 'is too far from "from"',
        right: `at most ${MOST_DAYS} days, from the first on`,
      },
    ]);
  const [begins, ends] = [startOfDayNumber(from, zone), startOfDayNumber(to + 1, zone)];
  const [{ broadcasts }, rows, messages, waits] = await Promise.all([
    listOfBroadcasts(db),
    broadcastRows(db, { now, model: store.revenue.model, currency: store.currency }),
    sentByDay(db, { from: begins, to: ends, zone }),
    waitsByDay(db, { from: Math.max(now, begins), to: ends, zone }),
  ]);
  // only who comes to a message next is counted: what lies behind that depends on what they do
  const due = new Map<string, number>();
  for (const { day, flow_id: flowId, version, step, runs } of waits)
    if (nextMessageAfter(await readVersion(db, flowId, version), step) !== null) due.set(day, (due.get(day) ?? 0) + runs);
  const documents = new Map(rows.map((row) => [row.key, row.document ?? row.draft]));
  const days = new Map<string, CalendarDay & { broadcasts: CalendarDay['broadcasts'][number][]; warnings: string[] }>();
  for (let day = from; day <= to; day++) {
    const name = localDate(startOfDayNumber(day, zone) + DAY / 2, zone);
    const sent = messages.filter((one) => one.day === name && !one.is_broadcast).reduce((sum, one) => sum + one.sent, 0);
    days.set(name, {
      day: name,
      isClosed: limits?.closed.has(name) ?? false,
      broadcasts: [],
      flows: { sent, due: due.get(name) ?? 0 },
      warnings: [],
    });
  }
  const meant = new Map<string, FlowDocument>();
  for (const one of broadcasts) {
    const document = documents.get(one.key)!;
    const went = messages.filter((row) => row.flow === one.key && row.sent > 0);
    for (const { day, sent } of went)
      days.get(day)?.broadcasts.push({ key: one.key, name: one.name, phase: one.phase, time: null, people: sent, isMovable: false });
    if (one.phase !== 'planned' && one.phase !== 'draft') continue;
    const isOnce = !one.repeats;
    for (const at of occasionsOf(document, Math.max(now, begins), ends, zone)) {
      const day = days.get(localDate(at, zone));
      if (!day) continue;
      meant.set(one.key, document);
      day.broadcasts.push({
        key: one.key,
        name: one.name,
        phase: one.phase,
        time: clockOf(at, zone),
        people: 0,
        isMovable: isOnce && one.entered === 0,
      });
    }
  }
  await warn(db, [...days.values()], meant, { now, zone, world });
  return {
    from: localDate(begins + DAY / 2, zone),
    to: localDate(startOfDayNumber(to, zone) + DAY / 2, zone),
    today: localDate(now, zone),
    days: [...days.values()],
  };
}

const clockOf = (at: Instant, zone: string): string => {
  const { minutes } = localClock(at, zone);
  return `${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`;
};

/** When a broadcast comes round in a stretch of time, at most so often that a month can show it. */
function occasionsOf({ triggers }: FlowDocument, from: Instant, to: Instant, zone: string): Instant[] {
  const trigger = triggers.find(isTimed);
  const found: Instant[] = [];
  let at = trigger ? nextOccasion(trigger, from - 1, zone) : null;
  while (trigger && at !== null && at < to && found.length < MOST_DAYS) {
    found.push(at);
    at = nextOccasion(trigger, at, zone);
  }
  return found;
}

/** Points out who gets more than one broadcast on one day or on two that follow each other, and days on which nothing may go out. */
async function warn(
  db: Db,
  days: readonly (CalendarDay & { warnings: string[] })[],
  documents: ReadonlyMap<string, FlowDocument>,
  at: Parameters<typeof overlapOf>[3],
): Promise<void> {
  const known = new Map<string, number>();
  for (const [index, day] of days.entries()) {
    const planned = day.broadcasts.filter(({ time }) => time !== null);
    if (day.isClosed && planned.length)
      day.warnings.push('Nothing marketing goes out on this day, by the limits of sending: it is held until the next that is open.');
    const before = index ? days[index - 1]!.broadcasts.filter(({ time }) => time !== null) : [];
    for (const [place, one] of planned.entries())
      for (const [other, words] of [
        ...planned.slice(0, place).map((other) => [other, 'on the same day'] as const),
        ...before.map((other) => [other, 'the day before'] as const),
      ]) {
        if (other.key === one.key) continue;
        const pair = [one.key, other.key].sort().join(' ');
        const [a, b] = [documents.get(one.key), documents.get(other.key)];
        if (!a || !b) continue;
        if (!known.has(pair)) known.set(pair, await overlapOf(db, whoOf(a), whoOf(b), at));
        const people = known.get(pair)!;
        if (people >= FEWEST_TWICE)
          day.warnings.push(`${many(people, 'person gets', 'people get')} both “${one.name}” and “${other.name}” ${words}.`);
      }
  }
}

const whoOf = ({ triggers }: FlowDocument) => {
  const trigger = triggers.find(isTimed);
  return trigger ? whoIsDue(trigger) : null;
};
