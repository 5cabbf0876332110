import type { DeparturesView, InsideView } from '@/core/api';
import { expectedIn, planOf, sayStep } from '@/core/flows';
import { sayLimited } from '@/core/limits';
import { DAY, HOUR, parseInstant } from '@/core/time';
import type { Db } from '@/data/db';
import { countInside, departing, entriesBy, findFlow, peopleInside, readVersion } from '@/data/flows';
import { readStore } from '@/data/store';
import { notFound, Problem, wholeNumber } from '../http';

const MOST_LISTED = 500;
/** By how long a past it is judged how many will enter. */
const PAST_DAYS = 28;
const LONGEST_MS = 92 * DAY;

/** Who is inside a flow, at one step or at any: since when, and until when they wait; those who go on first stand first. */
export async function inside(db: Db, key: string, url: URL): Promise<InsideView> {
  const flow = await findFlow(db, key);
  if (!flow) throw notFound(`flow "${key.slice(0, 60)}"`);
  const step = url.searchParams.get('step');
  const limit = wholeNumber(url, 'limit', { least: 0, most: MOST_LISTED, otherwise: MOST_LISTED });
  const rows = await peopleInside(db, flow.id, step, limit + 1);
  const people: InsideView['people'][number][] = [];
  for (const row of rows.slice(0, limit)) {
    const at = row.step === null ? undefined : planOf(await readVersion(db, flow.id, row.version)).steps.get(row.step);
    people.push({
      run: row.id,
      person: row.person_id,
      name: [row.first_name, row.last_name].filter(Boolean).join(' ') || (row.email ?? row.external_id ?? `~${row.person_id}`),
      key: row.key,
      version: row.version,
      step: row.step,
      says: at ? sayStep(at) : 'through with the steps',
      enteredAt: row.entered_at.toISOString(),
      since: (row.wait_from ?? row.entered_at).toISOString(),
      until: row.until?.toISOString() ?? null,
      held: row.held_saw && 'limited' in row.held_saw ? sayLimited(row.held_saw.limited) : null,
    });
  }
  const steps = await countInside(db, flow.id);
  return {
    people,
    isAll: rows.length <= limit,
    steps: steps.map((one) => ({ ...one, next: one.next?.toISOString() ?? null })),
  };
}

/** What goes on when, of those who wait now, by hour and flow; and how many may enter anew in that time, judged by the last four weeks. */
export async function departures(db: Db, url: URL): Promise<DeparturesView> {
  const { now } = await readStore(db);
  const read = (name: string, plain: number) => {
    const text = url.searchParams.get(name);
    const at = text === null ? plain : parseInstant(text);
    if (at === null)
      throw new Problem(400, 'Not a moment', 'Nothing was counted.', [
        { field: name, wrong: 'is no moment', right: new Date(plain).toISOString() },
      ]);
    return at;
  };
  const from = read('from', now);
  const to = read('to', from + 2 * DAY);
  if (to <= from || to - from > LONGEST_MS)
    throw new Problem(400, 'Not a stretch of time', 'Nothing was counted.', [
      { field: 'to', wrong: 'is not after from, or too far from it', right: 'at most 92 days later' },
    ]);
  const past = await entriesBy(db, now - PAST_DAYS * DAY, now);
  const flows = new Map<string, { name: string; days: number[] }>();
  for (const { flow, name, runs } of past) {
    const known = flows.get(flow) ?? { name, days: [] };
    known.days.push(runs);
    flows.set(flow, known);
  }
  const hours = Math.max(0, to - Math.max(from, now)) / HOUR;
  return {
    departures: (await departing(db, from, to)).map(({ hour, flow, name, runs }) => ({ hour: hour.toISOString(), flow, name, runs })),
    entries: [...flows].map(([flow, { name, days }]) => ({ flow, name, ...expectedIn(days, PAST_DAYS, hours / 24) })),
  };
}
