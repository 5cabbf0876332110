import { DAY, HOUR, WEEK } from '../time';
import type { FlowDocument, Step } from './document';
import { armsOf, kindOfStep } from './steps';
import { leadOf } from './plan';

/** A step placed on the line map: its lane, the row in which that is drawn (0 is the top), and its moment in milliseconds after entry. */
export interface Stop {
  readonly id: string;
  readonly kind: 'trigger' | 'entry' | Step['kind'] | 'join';
  readonly lane: number;
  readonly row: number;
  /** where it is drawn: when the slowest are there */
  readonly at: number;
  /** when the first can be there, and the last; null when nobody knows */
  readonly least: number;
  readonly most: number | null;
  /** how many stops stand before this one at the same moment: they need room beside each other */
  readonly rank: number;
  readonly parent: string | null;
}

/** A piece of line between two stops. `wait` names the wait step that makes its length. */
export interface Stretch {
  readonly from: string;
  readonly to: string;
  readonly lane: number;
  readonly row: number;
  readonly wait: string | null;
  /** whether nobody knows its length beforehand: it is drawn only as long as there is room for its name */
  readonly isOpen: boolean;
  readonly kind: 'line' | 'part' | 'join';
  readonly armId: string | null;
}

export interface LineMap {
  readonly stops: readonly Stop[];
  readonly stretches: readonly Stretch[];
  readonly lanes: number;
  /** how many rows they are drawn in: a lane that is over leaves its row to another */
  readonly rows: number;
  /** every distinct moment with the number of places needed there, ascending */
  readonly moments: readonly { readonly at: number; readonly places: number }[];
}

/** The paths that arrive at a point of the plan. */
interface Arrival {
  from: string;
  lane: number;
  at: number;
  least: number;
  most: number | null;
  rank: number;
  wait: string | null;
  isOpen: boolean;
  armId: string | null;
}

/**
 * Lays a flow out against elapsed time since entry. Arms of a branch get lanes of their own, the first keeps the
 * lane it comes from; where they meet again they join at the latest of their moments, which is when the slowest
 * is there. Steps that take time are stretches, all others are stops.
 */
export function layout(flow: FlowDocument): LineMap {
  const stops: Omit<Stop, 'row'>[] = [];
  const stretches: Omit<Stretch, 'row'>[] = [];
  let lanes = 1;

  const place = (id: string, kind: Stop['kind'], arrival: Arrival, parent: string | null): Arrival => {
    stops.push({ id, kind, lane: arrival.lane, at: arrival.at, least: arrival.least, most: arrival.most, rank: arrival.rank, parent });
    if (arrival.from)
      stretches.push({
        from: arrival.from,
        to: id,
        lane: arrival.lane,
        wait: arrival.wait,
        isOpen: arrival.isOpen,
        kind: arrival.armId ? 'part' : 'line',
        armId: arrival.armId,
      });
    return { ...arrival, from: id, rank: arrival.rank + 1, wait: null, isOpen: false, armId: null };
  };

  const walk = (steps: readonly Step[], start: Arrival, parent: string | null): Arrival | null => {
    let here = start;
    for (const step of steps) {
      const { span: spanOf, actsFirst } = kindOfStep(step);
      const span = spanOf?.(step);
      if (span) {
        if (actsFirst) here = place(step.id, step.kind, here, parent);
        // two waits in a row, or a wait first in its arm, need a stop between to hang their stretches on
        if (here.wait) here = place(`${here.wait}:over`, 'join', here, parent);
        here = {
          ...here,
          at: here.at + (span.most ?? span.least),
          least: here.least + span.least,
          most: here.most === null || span.most === null ? null : here.most + span.most,
          // one that nobody knows the length of takes room of its own beside what stands at the same moment
          rank: span.most === null && !span.least ? here.rank + 2 : 0,
          wait: step.id,
          isOpen: span.most === null,
        };
        if (!armsOf(step).length) continue;
      }
      here = actsFirst ? place(`${step.id}:answer`, 'join', here, parent) : place(step.id, step.kind, here, parent);
      if (step.kind === 'end') return null;
      const arms = armsOf(step);
      if (!arms.length) continue;
      const ends: Arrival[] = [];
      arms.forEach((arm, index) => {
        const lane = index === 0 ? here.lane : lanes++;
        // a place is left free after a junction, for the arms' names
        const end = walk(arm.steps, { ...here, rank: here.rank + 1, lane, armId: arm.id }, step.id);
        if (end) ends.push(end);
      });
      if (!ends.length) return null;
      const at = Math.max(...ends.map((end) => end.at));
      const rank = Math.max(...ends.filter((end) => end.at === at).map((end) => end.rank));
      // the path goes on in the lane of the first arm that comes back: one that ends keeps its lane to its end
      const { lane } = ends[0]!;
      const least = Math.min(...ends.map((end) => end.least));
      const most = ends.reduce<number | null>(
        (latest, end) => (latest === null || end.most === null ? null : Math.max(latest, end.most)),
        -Infinity,
      );
      const joinId = `${step.id}:join`;
      stops.push({ id: joinId, kind: 'join', lane, at, least, most, rank, parent });
      for (const end of ends)
        stretches.push({
          from: end.from,
          to: joinId,
          lane: end.lane,
          wait: end.wait,
          isOpen: end.isOpen,
          kind: end.lane === lane && !end.armId ? 'line' : 'join',
          armId: end.armId,
        });
      here = { from: joinId, lane, at, least, most, rank: rank + 1, wait: null, isOpen: false, armId: null };
    }
    return here;
  };

  let start: Arrival = { from: '', lane: 0, at: 0, least: 0, most: 0, rank: 0, wait: null, isOpen: false, armId: null };
  const lead = leadOf(flow);
  if (lead > 0) {
    start = place('trigger', 'trigger', { ...start, at: -lead, least: -lead, most: -lead }, null);
    start = { ...start, at: 0, least: 0, most: 0, rank: 0, wait: 'trigger' };
  }
  const end = walk(flow.steps, place('entry', 'entry', start, null), null);
  if (end) place('finish', 'end', end, null);

  const places = new Map<number, number>();
  for (const stop of stops) places.set(stop.at, Math.max(places.get(stop.at) ?? 0, stop.rank + 1));
  const moments = [...places].map(([at, count]) => ({ at, places: count })).sort((a, b) => a.at - b.at);
  const rowOf = rowsOf(stops, stretches, lanes);
  return {
    stops: stops.map((stop) => ({ ...stop, row: rowOf[stop.lane]! })),
    stretches: stretches.map((stretch) => ({ ...stretch, row: rowOf[stretch.lane]! })),
    lanes,
    rows: Math.max(...rowOf) + 1,
    moments,
  };
}

/** A place along the axis: a moment, and the how-manieth stop of that moment. */
type Along = readonly [at: number, rank: number];
const isBefore = (a: Along, b: Along) => a[0] < b[0] || (a[0] === b[0] && a[1] < b[1]);

/**
 * The row of each lane: below the lane it parts from, the highest one where nothing else runs from where it parts to where it joins
 * or ends.
 */
function rowsOf(stops: readonly Omit<Stop, 'row'>[], stretches: readonly Omit<Stretch, 'row'>[], lanes: number): number[] {
  const byId = new Map(stops.map((stop) => [stop.id, stop]));
  const along = ({ at, rank }: Omit<Stop, 'row'>): Along => [at, rank];
  const runs = Array.from({ length: lanes }, (): { from: Along; to: Along; parent: number } | null => null);
  const reach = (lane: number, from: Along, to: Along, parent: number) => {
    const run = runs[lane] ?? { from, to, parent };
    runs[lane] = { parent: run.parent, from: isBefore(from, run.from) ? from : run.from, to: isBefore(run.to, to) ? to : run.to };
  };
  for (const stop of stops) if (stop.lane === 0) reach(0, along(stop), along(stop), 0);
  for (const { from, to, lane } of stretches) {
    const [start, end] = [byId.get(from)!, byId.get(to)!];
    reach(lane, along(start), along(end), start.lane);
  }
  const rowOf: number[] = [];
  const taken: { row: number; from: Along; to: Along }[] = [];
  runs.forEach((run, lane) => {
    let row = lane === 0 || !run ? 0 : rowOf[run.parent]! + 1;
    const isFree = () => taken.every((one) => one.row !== row || !run || isBefore(one.to, run.from) || isBefore(run.to, one.from));
    while (!isFree()) row += 1;
    rowOf.push(row);
    if (run) taken.push({ row, from: run.from, to: run.to });
  });
  return rowOf;
}

/** The bent scale: each of minutes, hours, days and weeks takes a like share of the width. */
const BENDS: [ms: number, place: number][] = [
  [0, 0],
  [HOUR, 1],
  [DAY, 2],
  [WEEK, 3],
  [12 * WEEK, 4],
  [520 * WEEK, 5],
];

/** Where an elapsed time stands on the bent scale; before entry it runs the other way. */
export function bend(ms: number): number {
  const size = Math.abs(ms);
  for (let i = 1; i < BENDS.length; i++) {
    const [from, fromPlace] = BENDS[i - 1]!;
    const [to, toPlace] = BENDS[i]!;
    if (size <= to || i === BENDS.length - 1) return Math.sign(ms) * (fromPlace + ((size - from) / (to - from)) * (toPlace - fromPlace));
  }
  return 0;
}

/** The elapsed time that stands at a place of the bent scale. */
export function unbend(place: number): number {
  const size = Math.abs(place);
  for (let i = 1; i < BENDS.length; i++) {
    const [from, fromPlace] = BENDS[i - 1]!;
    const [to, toPlace] = BENDS[i]!;
    if (size <= toPlace || i === BENDS.length - 1)
      return Math.sign(place) * (from + ((size - fromPlace) / (toPlace - fromPlace)) * (to - from));
  }
  return 0;
}

export interface Axis {
  /** where a moment stands, and a stop that is not the first there */
  readonly x: (at: number, rank?: number) => number;
  /** the moment that stands at a place; beyond the last it goes on as before */
  readonly at: (x: number) => number;
  readonly width: number;
}

/** Turns a map's moments into pixels: proportional on the bent scale, yet with room for all stops of one moment. */
export function axis(map: LineMap, width: number, gap: number): Axis {
  const { moments } = map;
  const taken = moments.reduce((sum, moment) => sum + (moment.places - 1) * gap, 0);
  const span = bend(moments.at(-1)!.at) - bend(moments[0]!.at);
  // every interval has at least one gap; what is left of the width is shared out on the bent scale
  const free = Math.max(0, width - taken - (moments.length - 1) * gap);
  const starts: number[] = [];
  let x = 0;
  moments.forEach((moment, index) => {
    if (index > 0) {
      const before = moments[index - 1]!;
      x += (before.places - 1) * gap + gap + (span > 0 ? ((bend(moment.at) - bend(before.at)) / span) * free : 0);
    }
    starts.push(x);
  });
  const total = x + (moments.at(-1)!.places - 1) * gap;
  const at = (ms: number, rank = 0): number => {
    let index = moments.findIndex((moment) => moment.at > ms) - 1;
    if (index === -2) index = moments.length - 1;
    if (index < 0) return starts[0]!;
    const moment = moments[index]!;
    const next = moments[index + 1];
    if (moment.at === ms || !next) return starts[index]! + rank * gap;
    const from = starts[index]! + (moment.places - 1) * gap;
    return from + ((bend(ms) - bend(moment.at)) / (bend(next.at) - bend(moment.at))) * (starts[index + 1]! - from);
  };
  const pixels = Math.max(gap, span > 0 ? free / span : 0);
  const back = (place: number): number => {
    if (place <= 0) return moments[0]!.at;
    if (place >= total) return unbend(bend(moments.at(-1)!.at) + (place - total) / pixels);
    const index = starts.findLastIndex((start) => start <= place);
    const moment = moments[index]!;
    const from = starts[index]! + (moment.places - 1) * gap;
    const next = moments[index + 1];
    if (place <= from || !next) return moment.at;
    return unbend(bend(moment.at) + ((place - from) / (starts[index + 1]! - from)) * (bend(next.at) - bend(moment.at)));
  };
  return { x: at, at: back, width: total };
}
