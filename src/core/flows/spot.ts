import { durationOf } from '../time';
import type { FlowDocument, Step } from './document';
import { changeStep, insertSteps, placeOf, removeStep, stepWith, type Place } from './edit';
import type { Stretch } from './layout';
import { planOf } from './plan';
import { armsOf } from './steps';
import { plainWaitMs } from './typed';

/** Where steps can be put in on a stretch of the map: at its beginning, at its end, and in between where its wait can be parted. */
export interface Spots {
  readonly start: Place | null;
  readonly end: Place | null;
  /** the wait that can be parted, with its length in milliseconds */
  readonly parts: { readonly wait: string; readonly ms: number } | null;
}

const NOWHERE: Spots = { start: null, end: null, parts: null };

/** The place right after a step, or first in one of its arms. */
function placeAfter(flow: FlowDocument, from: string, armId: string | null): Place | null {
  if (from === 'entry' || from === 'trigger') return { armId: null, index: 0 };
  if (armId) return { armId, index: 0 };
  // marks between steps carry the id of the step that they stand behind
  const place = placeOf(flow, from.replace(/:(join|over|answer)$/, ''));
  return place && { ...place, index: place.index + 1 };
}

/** Where steps can be put in on a stretch; nowhere on the silence before the entry. */
export function spotsOn(flow: FlowDocument, { from, wait, armId }: Pick<Stretch, 'from' | 'wait' | 'armId'>): Spots {
  if (wait === 'trigger' || from === 'trigger') return NOWHERE;
  const start = placeAfter(flow, from, armId);
  const waits = wait ? planOf(flow).steps.get(wait) : undefined;
  if (!wait || !waits) return { start, end: start, parts: null };
  const place = placeOf(flow, wait);
  if (!place) return NOWHERE;
  // where its arms part at its end, nothing stands between
  const hasArms = armsOf(waits).length > 0;
  if (wait === from) return { start: null, end: hasArms ? null : { ...place, index: place.index + 1 }, parts: null };
  const ms = plainWaitMs(waits);
  return {
    start: place,
    end: hasArms ? null : { ...place, index: place.index + 1 },
    parts: ms === null ? null : { wait, ms },
  };
}

/** The document with a plain wait parted so long after its beginning, in milliseconds, and steps put in between; all in all it lasts as long as before. */
export function partWait(flow: FlowDocument, wait: string, ms: number, steps: readonly Step[]): FlowDocument {
  const place = placeOf(flow, wait);
  const whole = plainWaitMs(planOf(flow).steps.get(wait));
  if (!place || whole === null) return flow;
  const after = { ...place, index: place.index + 1 };
  if (ms <= 0) return insertSteps(flow, place, steps);
  if (ms >= whole) return insertSteps(flow, after, steps);
  const shorter = changeStep(flow, wait, (step) => (step.kind === 'wait' ? { ...step, for: durationOf(ms) } : step));
  return insertSteps(shorter, after, [...steps, { id: wait, kind: 'wait', for: durationOf(whole - ms) }]);
}

/** How long it is waited right before a step by a plain wait, in milliseconds: 0 where none stands there, null where another kind of wait does. */
export function waitedBefore(flow: FlowDocument, id: string): number | null {
  const before = stepBefore(flow, id);
  if (before?.kind !== 'wait') return 0;
  return plainWaitMs(before);
}

/** The document with a step so long after the one before it: its wait is changed, put in, or taken out at 0. */
export function waitBefore(flow: FlowDocument, id: string, ms: number): FlowDocument {
  const now = waitedBefore(flow, id);
  if (now === null || now === ms) return flow;
  const before = stepBefore(flow, id);
  if (before?.kind === 'wait')
    return ms > 0
      ? changeStep(flow, before.id, (step) => (step.kind === 'wait' ? { ...step, for: durationOf(ms) } : step))
      : removeStep(flow, before.id);
  return insertSteps(flow, placeOf(flow, id)!, [{ id: 'wait', kind: 'wait', for: durationOf(ms) }]);
}

function stepBefore(flow: FlowDocument, id: string): Step | undefined {
  const place = placeOf(flow, id);
  if (!place) return undefined;
  const steps = place.armId === null ? flow.steps : armSteps(flow, place.armId);
  return steps[place.index - 1];
}

/** The steps of an arm; none where there is no such arm. */
export function armSteps(flow: FlowDocument, armId: string): readonly Step[] {
  for (const step of planOf(flow).steps.values()) {
    const arm = armsOf(step).find((one) => one.id === armId);
    if (arm) return arm.steps;
  }
  return [];
}

/** The steps of one sequence that lie between two, both counted in: where they stand in different arms, those that hold them. */
export function between(flow: FlowDocument, one: string, other: string): string[] {
  const paths = [pathOf(flow, one), pathOf(flow, other)] as const;
  const [a, b] = paths;
  if (!a || !b) return a ? [one] : b ? [other] : [];
  let depth = 0;
  while (depth + 1 < a.length && depth + 1 < b.length && a[depth]!.index === b[depth]!.index && a[depth + 1]!.armId === b[depth + 1]!.armId)
    depth += 1;
  const { armId } = a[depth]!;
  const [low, high] = [a[depth]!.index, b[depth]!.index].sort((x, y) => x - y);
  const steps = armId === null ? flow.steps : armSteps(flow, armId);
  return steps.slice(low, high! + 1).map((step) => step.id);
}

/** The places on the way from the flow's own sequence to a step, the outermost first. */
function pathOf(flow: FlowDocument, id: string): Place[] | null {
  const place = placeOf(flow, id);
  if (!place) return null;
  if (place.armId === null) return [place];
  const holder = [...planOf(flow).steps.values()].find((step) => armsOf(step).some((arm) => arm.id === place.armId));
  const path = holder && pathOf(flow, holder.id);
  return path ? [...path, place] : null;
}

/** Steps by their ids, those of one sequence in their order. */
export const stepsWith = (flow: FlowDocument, ids: readonly string[]): Step[] => ids.flatMap((id) => stepWith(flow, id) ?? []);
