import {
  bend,
  insertSteps,
  moveStep,
  partWait,
  planOf,
  removeStep,
  spotsOn,
  stepWith,
  waitBefore,
  waitedBefore,
  type FlowDocument,
  type Place,
  type Step,
} from '@/core/flows';
import { durationOf, sayDuration, sayElapsed, snapped } from '@/core/time';
import type { Drawing } from './drawing';

/** A place on the map where steps can be put in: before or after what stands there, or within a wait, so long after its beginning. */
export interface Spot {
  readonly place: Place;
  readonly part: { readonly wait: string; readonly ms: number } | null;
  readonly x: number;
  readonly y: number;
  /** which moment that is: "1 d after entry" */
  readonly says: string;
}

/** How near to an end of a stretch it is that end which is meant, in pixels. */
const NEAR_END = 18;

const moment = (at: number) => (at > 0 ? `${sayElapsed(at)} after entry` : 'at entry');

/** The place on the map next to a point, no further from a line than `within` pixels; a wait is parted at sensible lengths. */
export function spotAt(drawing: Drawing, document: FlowDocument, point: { x: number; y: number }, within: number): Spot | null {
  let best: Spot | null = null;
  let nearest = within;
  for (const { stretch, from, to, y } of drawing.stretches) {
    const x = Math.min(Math.max(point.x, from.x), to.x);
    const far = Math.hypot(point.x - x, point.y - y);
    if (far > nearest) continue;
    const { start, end, parts } = spotsOn(document, stretch);
    if (!start && !end) continue;
    const near = Math.min(NEAR_END, (to.x - from.x) / 2);
    const began = from.stop.at;
    const length = parts ? snapped(drawing.atOf(x) - began, (ms) => bend(began + ms)) : 0;
    const isWithin = parts && x - from.x > near && to.x - x > near && length > 0 && length < parts.ms;
    const isStart = start && (!end || x - from.x < to.x - x);
    nearest = far;
    best = isWithin
      ? { place: start!, part: { wait: parts.wait, ms: length }, x, y, says: moment(began + length) }
      : isStart
        ? { place: start, part: null, x: from.x + near, y, says: moment(began) }
        : { place: end!, part: null, x: to.x - near, y, says: moment(to.stop.at) };
  }
  return best;
}

/** The document with steps put in at a spot. */
export const putAt = (flow: FlowDocument, { place, part }: Pick<Spot, 'place' | 'part'>, steps: readonly Step[]): FlowDocument =>
  part ? partWait(flow, part.wait, part.ms, steps) : insertSteps(flow, place, steps);

/** What letting go of a stop that is dragged would do: change the wait before it, move it to another place, or nothing, with the reason. */
export type Aim =
  | { readonly kind: 'wait'; readonly ms: number; readonly x: number; readonly y: number; readonly says: string; readonly moment: string }
  | { readonly kind: 'move'; readonly spot: Spot }
  | { readonly kind: 'none'; readonly x: number; readonly y: number; readonly says: string };

/** What a stop means that is dragged to a point: along its lane the wait before it, elsewhere another place. Without `isFine` lengths are sensible ones. */
export function aimOf(drawing: Drawing, document: FlowDocument, id: string, point: { x: number; y: number }, isFine = false): Aim {
  const placed = drawing.byId.get(id);
  if (!placed) return { kind: 'none', ...point, says: '' };
  if (Math.abs(point.y - placed.y) > drawing.rowHeight * 0.35) {
    const spot = spotAt(drawing, document, point, drawing.rowHeight);
    return spot ? { kind: 'move', spot } : { kind: 'none', ...point, says: 'No line is near' };
  }
  const waited = waitedBefore(document, id);
  const { x } = point;
  if (waited === null) return { kind: 'none', x, y: placed.y, says: 'The wait before it ends by something else than a length' };
  const began = placed.stop.at - waited;
  const ms = Math.max(0, drawing.atOf(x) - began);
  const length = isFine ? Math.round(ms / 60_000) * 60_000 : snapped(ms, (one) => bend(began + one));
  return {
    kind: 'wait',
    ms: length,
    x,
    y: placed.y,
    says: length ? sayDuration(durationOf(length)) : 'at once',
    moment: moment(began + length),
  };
}

/** The document after a stop was let go. */
export function letGo(flow: FlowDocument, id: string, aim: Aim): FlowDocument {
  if (aim.kind === 'none') return flow;
  if (aim.kind === 'wait') return waitBefore(flow, id, aim.ms);
  const step = stepWith(flow, id);
  if (!step) return flow;
  const { part, place } = aim.spot;
  if (!part) return moveStep(flow, id, place);
  const without = removeStep(flow, id);
  // a wait within the step itself goes with it
  return planOf(without).steps.has(part.wait) ? partWait(without, part.wait, part.ms, [step]) : flow;
}
