import {
  armsOf,
  axis,
  kindOfTrigger,
  layout,
  planOf,
  sayShares,
  sayShortWait,
  sayStep,
  type FlowDocument,
  type LineMap,
  type Step,
  type Stop,
  type Stretch,
  type Trigger,
} from '@/core/flows';
import { sayDone, sayName } from '@/core/rules';
import { approximateMs, durationOf, sayDuration, sayElapsed } from '@/core/time';

/** The room between two stops beside each other, in pixels, and down to what it goes where the whole flow fits into the frame then. */
const GAP = 80;
const LEAST_GAP = 66;
const SIDE = 52;
/** Where the first row lies; above it stand the ticks and the names of its stops. */
const TOP = 108;
const LEAST_ROW = 128;
const MOST_ROW = 208;
/** What a row takes above its line (names) and below it (arms and moments, then waits), in pixels. */
const ABOVE = 62;
const BELOW = 60;
/** Where the second line of text below the line begins: waits, then figures. */
export const WAITS_AT = 37;
const FIGURES_AT = 59;
/** How much a second line of a wait takes, in pixels. */
const BADGE = 18;

/** How wide a letter of a small label is at most, about, in pixels. */
const WIDEST_LETTER = 7;

export interface PlacedStop {
  readonly stop: Stop;
  readonly x: number;
  readonly y: number;
  readonly name: string;
  /** when people come there, as it is read out */
  readonly when: string;
  /** the same in short, below the stop; null where nothing needs to be said */
  readonly moment: string | null;
}

export interface PlacedStretch {
  readonly key: string;
  readonly stretch: Stretch;
  readonly path: string;
  readonly from: PlacedStop;
  readonly to: PlacedStop;
  readonly y: number;
  /** the arm that begins here, with its name and lot */
  readonly arm: { readonly id: string; readonly name: string } | null;
  /** the wait that it is long by: in short, and as a sentence; `isClear` where its words have room beside those of the stops */
  readonly wait: { readonly id: string; readonly length: string; readonly says: string; readonly isClear: boolean } | null;
}

/** A flow as it is drawn: every stop and stretch with its place, every text with room of its own. */
export interface Drawing {
  readonly map: LineMap;
  readonly stops: readonly PlacedStop[];
  readonly stretches: readonly PlacedStretch[];
  readonly byId: ReadonlyMap<string, PlacedStop>;
  readonly ticks: readonly { readonly at: number; readonly x: number; readonly says: string }[];
  /** days of a parcel on the same axis, where a wait goes by one */
  readonly parcels: readonly { readonly x: number; readonly says: string }[];
  readonly width: number;
  readonly height: number;
  readonly rowHeight: number;
  /** what a column of text at a stop may take, so that it stays clear of the next one, in pixels */
  readonly column: number;
  /** how far below its line the figures of a stop begin, in pixels */
  readonly figuresAt: number;
  rowY(row: number): number;
  /** the elapsed time that stands at a place */
  atOf(x: number): number;
  /** where an elapsed time stands */
  xOf(at: number): number;
}

/** What a click on a stop or stretch selects: trigger and entry are one thing to edit. */
export const targetOf = (id: string) => (id === 'entry' || id === 'trigger' || id === 'finish' ? 'trigger' : id);

/** How long before entry the first of a flow's triggers begins, or null where somebody enters at once. */
function leadOf(document: FlowDocument): string | null {
  const leads = document.triggers.flatMap((trigger) => kindOfTrigger(trigger).lead(trigger) ?? []);
  return leads.sort((a, b) => approximateMs(b) - approximateMs(a))[0] ?? null;
}

/** What starts a flow, in a word or two. */
const startOf = (trigger: Trigger): string =>
  trigger.kind === 'schedule'
    ? 'By schedule'
    : trigger.kind === 'date'
      ? `Their ${sayName(trigger.name)}`
      : trigger.kind === 'change'
        ? `new ${sayName(trigger.name)}`
        : trigger.kind === 'product'
          ? trigger.event === 'product.repriced'
            ? 'New price'
            : 'There again'
          : sayDone(trigger.event);

function nameOf(stop: Stop, document: FlowDocument, steps: ReadonlyMap<string, Step>): string {
  const started = [...new Set(document.triggers.map(startOf))].join(' or ');
  if (stop.kind === 'trigger') return started;
  if (stop.kind === 'entry') return leadOf(document) === null ? started : 'Enters';
  const step = steps.get(stop.id);
  if (step && 'name' in step) return step.name;
  if (step?.kind === 'idea') return step.text;
  return step?.kind === 'wait' ? 'Came?' : 'End';
}

/** When people come to a stop, as it is read out. */
const sayWhen = ({ at, least, most }: Stop): string => {
  const long = (ms: number) => sayDuration(durationOf(ms));
  if (most === null) return least ? `${long(least)} after entry or later` : 'any time after entry';
  return at === 0 ? 'at entry' : at < 0 ? `${long(-at)} before entry` : `${long(at)} after entry`;
};

const WITHOUT_MOMENT = new Set<Stop['kind']>(['entry', 'trigger', 'branch', 'test', 'join']);
const momentOf = (stop: Stop, step: Step | undefined): string | null => {
  // where arms part their names stand in its place
  if (WITHOUT_MOMENT.has(stop.kind) || (step && armsOf(step).length > 0)) return null;
  if (stop.most === null) return stop.least ? `≥ ${sayElapsed(stop.least)}` : 'any time';
  return stop.at > 0 ? sayElapsed(stop.at) : null;
};

/** How long a stretch lasts, in short, and as a sentence. */
function lengthOf(
  wait: string,
  document: FlowDocument,
  steps: ReadonlyMap<string, Step>,
): Omit<NonNullable<PlacedStretch['wait']>, 'isClear'> | null {
  if (wait === 'trigger') {
    const lead = sayDuration(leadOf(document) ?? 'PT0S');
    return { id: wait, length: lead, says: `Silence of ${lead}` };
  }
  const step = steps.get(wait);
  if (!step) return null;
  const length = step.kind === 'wait' ? sayShortWait(step) : 'within' in step ? `up to ${sayDuration(step.within)}` : '';
  return { id: wait, length, says: sayStep(step) };
}

/** A stretch runs along its own row; where lanes part or join it bends within half a gap. */
function pathOf(from: PlacedStop, to: PlacedStop, y: number): string {
  const turn = Math.min(34, (to.x - from.x) / 2);
  const start =
    from.y === y ? `M${from.x} ${from.y}` : `M${from.x} ${from.y}C${from.x + turn} ${from.y} ${from.x} ${y} ${from.x + turn} ${y}`;
  const end = to.y === y ? `L${to.x} ${to.y}` : `L${to.x - turn} ${y}C${to.x} ${y} ${to.x - turn} ${to.y} ${to.x} ${to.y}`;
  return start + end;
}

/** How wide a tick's words are at most, with room beside them, in pixels. */
const TICK = 76;

/** Ticks that have room: entry, then the moments at which something happens. A tick stands nowhere else. */
function ticksOf(map: LineMap, x: (ms: number) => number): Drawing['ticks'] {
  const chosen: { at: number; x: number; says: string }[] = [];
  const offer = (at: number) => {
    const place = { at, x: x(at), says: at === 0 ? 'entry' : sayElapsed(at) };
    if (chosen.every((one) => Math.abs(one.x - place.x) > TICK)) chosen.push(place);
  };
  offer(0);
  for (const { at } of map.moments) offer(at);
  return chosen.sort((a, b) => a.at - b.at);
}

function parcelsOf(map: LineMap, steps: ReadonlyMap<string, Step>, x: (at: number) => number): Drawing['parcels'] {
  const marks: { x: number; says: string }[] = [];
  for (const { wait, to } of map.stretches) {
    const step = wait === null ? undefined : steps.get(wait);
    if (step?.kind !== 'wait' || !step.parcel) continue;
    const stop = map.stops.find((one) => one.id === to)!;
    const at = Math.max(0, stop.at - approximateMs(step.parcel.then ?? 'PT0S'));
    const mark = { x: x(at), says: step.parcel.is === 'shipped' ? 'sent' : 'there' };
    if (marks.every((one) => Math.abs(one.x - mark.x) > TICK)) marks.push(mark);
  }
  return marks;
}

/**
 * Draws a flow into a frame: the bent scale takes the width there is, the rows share the height there is. `figures` is the height that
 * a lens wants below each stop, in pixels.
 */
export function drawingOf(
  document: FlowDocument,
  frame: { width: number; height: number },
  { figures = 0, hasBadges = false }: { figures?: number; hasBadges?: boolean } = {},
): Drawing {
  const map = layout(document);
  const { steps } = planOf(document);
  const free = frame.width - 2 * SIDE;
  const wide = axis(map, free, GAP);
  const gap = wide.width <= free ? GAP : (GAP * free) / wide.width >= LEAST_GAP ? Math.floor((GAP * free) / wide.width) : GAP;
  const scale = gap === GAP ? wide : axis(map, free, gap);
  const column = gap - 4;
  const figuresAt = FIGURES_AT + (hasBadges ? BADGE : 0);
  const xOf = (at: number) => SIDE + scale.x(at);
  const parcels = parcelsOf(map, steps, xOf);
  const top = TOP + (parcels.length ? 16 : 0);
  const needed = Math.max(LEAST_ROW, ABOVE + Math.max(BELOW, figuresAt + figures));
  const rowHeight = Math.max(needed, Math.min(MOST_ROW, (frame.height - top - BELOW - figures) / Math.max(1, map.rows - 1)));
  const rowY = (row: number) => top + row * rowHeight;
  const stops = map.stops.map((stop): PlacedStop => ({
    stop,
    x: SIDE + scale.x(stop.at, stop.rank),
    y: rowY(stop.row),
    name: stop.kind === 'join' ? '' : nameOf(stop, document, steps),
    when: sayWhen(stop),
    moment: momentOf(stop, steps.get(stop.id)),
  }));
  const byId = new Map(stops.map((placed) => [placed.stop.id, placed]));
  const arms = new Map(
    [...steps.values()].flatMap((step) => {
      const all = armsOf(step);
      return all.map((arm) => [arm.id, arm.share === undefined ? arm.name : `${arm.name}, ${sayShares(all, arm)}`] as const);
    }),
  );
  const stretches = map.stretches.map((stretch): PlacedStretch => {
    const [from, to] = [byId.get(stretch.from)!, byId.get(stretch.to)!];
    const y = rowY(stretch.row);
    const name = stretch.armId === null ? undefined : arms.get(stretch.armId);
    const length = stretch.wait === null ? null : lengthOf(stretch.wait, document, steps);
    return {
      key: `${stretch.from}>${stretch.to}>${stretch.lane}`,
      stretch,
      path: pathOf(from, to, y),
      from,
      to,
      y,
      arm: name === undefined ? null : { id: stretch.armId!, name },
      wait: length && { ...length, isClear: name === undefined && to.x - from.x > column + 24 + length.length.length * WIDEST_LETTER },
    };
  });
  return {
    map,
    stops,
    stretches,
    byId,
    ticks: ticksOf(map, xOf),
    parcels,
    width: Math.max(frame.width, scale.width + 2 * SIDE),
    height: Math.max(frame.height, rowY(map.rows - 1) + figuresAt + figures + 12),
    rowHeight,
    column,
    figuresAt,
    rowY,
    atOf: (x) => scale.at(x - SIDE),
    xOf,
  };
}
