import type { Rehearsed } from '@/core/rehearsal';
import type { Drawing } from '../map';

type Run = Rehearsed['runs'][number];

/** Where somebody is on the map at a moment. */
export interface Whereabouts {
  readonly x: number;
  readonly y: number;
  /** the stop or wait they are at or have passed last */
  readonly id: string;
}

interface Passing extends Whereabouts {
  readonly at: number;
}

/** The places that a run passes, with the moments, ascending. */
function passings(run: Run, drawing: Drawing): Passing[] {
  const passed: Passing[] = [];
  const add = (at: number, id: string) => {
    const stop = drawing.byId.get(id);
    const stretch = stop ? undefined : drawing.stretches.find(({ wait }) => wait?.id === id);
    const place = stop ?? stretch?.from;
    if (place) passed.push({ at, x: place.x, y: stretch && stretch.from.y !== stretch.y ? stretch.from.y : place.y, id });
  };
  if (run.armedAt !== null) add(Date.parse(run.armedAt), drawing.byId.has('trigger') ? 'trigger' : 'entry');
  if (run.enteredAt !== null) add(Date.parse(run.enteredAt), 'entry');
  for (const { at, step, kind } of run.trace) {
    if (kind === 'completed') add(Date.parse(at), drawing.byId.has('finish') ? 'finish' : (step ?? 'entry'));
    else if (step !== null) add(Date.parse(at), step);
  }
  return passed;
}

/** Where a run is at a moment, in milliseconds: between two stops as far along as the time between them is over; null before it begins. */
export function whereaboutsAt(run: Run, drawing: Drawing, at: number): Whereabouts | null {
  const passed = passings(run, drawing);
  const last = passed.findLastIndex((one) => one.at <= at);
  if (last < 0) return null;
  const here = passed[last]!;
  const next = passed[last + 1];
  const wait = drawing.stretches.find((one) => one.wait?.id === here.id || (here.id === 'trigger' && one.wait?.id === 'trigger'));
  const until = next?.at ?? (run.next ? Date.parse(run.next.at) : null);
  if (!wait || until === null || until <= here.at) return here;
  const done = Math.min(1, (at - here.at) / (until - here.at));
  if (done === 0) return here;
  return { id: here.id, x: wait.from.x + (wait.to.x - wait.from.x) * done, y: wait.y };
}

/** What of the map has been on somebody's way up to a moment: stops by id, stretches by key. */
export function wayUntil(runs: readonly Run[], drawing: Pick<Drawing, 'stretches' | 'stops'>, at: number): Set<string> {
  const way = new Set<string>();
  for (const run of runs) {
    if (run.armedAt !== null && Date.parse(run.armedAt) <= at) way.add('trigger');
    if (run.enteredAt !== null && Date.parse(run.enteredAt) <= at) way.add('entry');
    for (const { at: when, step, kind } of run.trace) {
      if (Date.parse(when) > at) break;
      if (step !== null) way.add(step);
      if (kind === 'completed') way.add('finish');
    }
  }
  // marks between steps are passed where what stands on either side is
  let isMore = true;
  while (isMore) {
    isMore = false;
    for (const { stretch } of drawing.stretches) {
      if (way.has(stretch.to) && stretch.from.includes(':') && !way.has(stretch.from)) {
        way.add(stretch.from);
        isMore = true;
      }
    }
  }
  const isOn = (id: string, wait: string | null) => way.has(id) || (wait !== null && way.has(wait));
  for (const { key, stretch } of drawing.stretches)
    if (isOn(stretch.from, null) && (isOn(stretch.to, null) || (stretch.wait !== null && way.has(stretch.wait)))) way.add(key);
  return way;
}

/** The moments of a rehearsal at which something happens, ascending, each once. */
export function momentsOf(came: Iterable<Rehearsed>, now: number): number[] {
  const all = new Set<number>([now]);
  for (const { runs, sends, events } of came) {
    for (const run of runs) {
      if (run.armedAt !== null) all.add(Date.parse(run.armedAt));
      for (const { at } of run.trace) all.add(Date.parse(at));
    }
    for (const { at } of sends) all.add(Date.parse(at));
    for (const { at } of events) all.add(Date.parse(at));
  }
  return [...all].filter((at) => at >= now).sort((a, b) => a - b);
}
