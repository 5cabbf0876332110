import { slugOf } from '../text';
import type { Arm, FlowDocument, Step } from './document';
import { eachStep } from './document';
import { armsOf, kindOfStep } from './steps';

/** The steps with their arms looked through, too: `change` answers with what a sequence becomes. */
function throughSequences(
  steps: readonly Step[],
  change: (steps: readonly Step[], armId: string | null) => readonly Step[],
  armId: string | null = null,
): Step[] {
  return change(steps, armId).map((step) => {
    const arms = armsOf(step);
    if (!arms.length) return step;
    let isChanged = false;
    const next = arms.map((arm) => {
      const inside = throughSequences(arm.steps, change, arm.id);
      if (inside.length === arm.steps.length && inside.every((one, index) => one === arm.steps[index])) return arm;
      isChanged = true;
      return { ...arm, steps: inside };
    });
    return isChanged ? kindOfStep(step).withArms!(step, next) : step;
  });
}

/** The document with one step changed, wherever it stands. */
export function changeStep(flow: FlowDocument, id: string, change: (step: Step) => Step): FlowDocument {
  return {
    ...flow,
    steps: throughSequences(flow.steps, (steps) =>
      steps.some((step) => step.id === id) ? steps.map((step) => (step.id === id ? change(step) : step)) : steps,
    ),
  };
}

/** The document with one arm of a step changed. */
export function changeArm(flow: FlowDocument, stepId: string, armId: string, change: (arm: Arm) => Arm): FlowDocument {
  return changeStep(
    flow,
    stepId,
    (step) =>
      kindOfStep(step).withArms?.(
        step,
        armsOf(step).map((arm) => (arm.id === armId ? change(arm) : arm)),
      ) ?? step,
  );
}

/** A place for steps: in the arm with this id, or in the flow's own sequence, before the step with this number. */
export interface Place {
  readonly armId: string | null;
  readonly index: number;
}

/** Where a step stands, or null when it is not in the flow. */
export function placeOf(flow: FlowDocument, id: string): Place | null {
  let found: Place | null = null;
  throughSequences(flow.steps, (steps, armId) => {
    const index = steps.findIndex((step) => step.id === id);
    if (index >= 0) found = { armId, index };
    return steps;
  });
  return found;
}

/** The document with steps put in at a place. Ids that are taken already get new ones. */
export function insertSteps(flow: FlowDocument, place: Place, steps: readonly Step[]): FlowDocument {
  const fresh = withFreeIds(steps, idsOf(flow.steps));
  return {
    ...flow,
    steps: throughSequences(flow.steps, (own, armId) =>
      armId === place.armId && !own.some((step) => fresh.includes(step))
        ? [...own.slice(0, place.index), ...fresh, ...own.slice(place.index)]
        : own,
    ),
  };
}

/** The document without a step, and without what stands in its arms. */
export function removeStep(flow: FlowDocument, id: string): FlowDocument {
  return {
    ...flow,
    steps: throughSequences(flow.steps, (steps) => (steps.some((step) => step.id === id) ? steps.filter((step) => step.id !== id) : steps)),
  };
}

/** The document with one arm kept of a step that has several: its steps stand where the step stood, and the other arms are gone. */
export function keepArm(flow: FlowDocument, id: string, armId: string): FlowDocument {
  return {
    ...flow,
    steps: throughSequences(flow.steps, (steps) => {
      const kept = steps.map((step) => (step.id === id ? armsOf(step).find((arm) => arm.id === armId)?.steps : undefined));
      return kept.some(Boolean) ? steps.flatMap((step, index) => kept[index] ?? [step]) : steps;
    }),
  };
}

/** The document with a step moved to a place, counted before it is taken out. One cannot be moved into its own arms: then nothing changes. */
export function moveStep(flow: FlowDocument, id: string, place: Place): FlowDocument {
  const from = placeOf(flow, id);
  const step = from && stepWith(flow, id);
  if (!step || (place.armId !== null && hasArm(step, place.armId))) return flow;
  const index = from.armId === place.armId && from.index < place.index ? place.index - 1 : place.index;
  return insertSteps(removeStep(flow, id), { ...place, index }, [step]);
}

/** The document with a copy of a step right after it, with ids of its own; and the id of the copy. */
export function duplicateStep(flow: FlowDocument, id: string): { readonly flow: FlowDocument; readonly id: string | null } {
  const place = placeOf(flow, id);
  const step = stepWith(flow, id);
  if (!place || !step) return { flow, id: null };
  const [copy] = withFreeIds([step], idsOf(flow.steps));
  return { flow: insertSteps(flow, { ...place, index: place.index + 1 }, [copy!]), id: copy!.id };
}

/** An id that nothing in the flow has yet: the wanted one, or that with a number. */
export function freeId(flow: FlowDocument, wanted: string): string {
  const taken = idsOf(flow.steps);
  let id = wanted.slice(0, 36);
  for (let n = 2; taken.has(id); n++) id = `${wanted.slice(0, 34)}-${n}`;
  return id;
}

/** A step of the flow by its id, wherever it stands. */
export function stepWith(flow: FlowDocument, id: string): Step | null {
  let found: Step | null = null;
  eachStep(flow.steps, (step) => {
    if (step.id === id) found = step;
  });
  return found;
}

function idsOf(steps: readonly Step[]): Set<string> {
  const ids = new Set<string>();
  eachStep(steps, (step) => {
    ids.add(step.id);
    for (const arm of armsOf(step)) ids.add(arm.id);
  });
  return ids;
}

const hasArm = (step: Step, armId: string): boolean =>
  armsOf(step).some((arm) => arm.id === armId || arm.steps.some((inner) => hasArm(inner, armId)));

/** Steps with each id that is taken made another: "reminder" becomes "reminder-2". */
function withFreeIds(steps: readonly Step[], taken: Set<string>): Step[] {
  const free = (id: string): string => {
    const stem = id.replace(/-\d+$/, '').slice(0, 34);
    let next = id;
    for (let n = 2; taken.has(next); n++) next = `${stem}-${n}`;
    taken.add(next);
    return next;
  };
  return steps.map((step): Step => {
    const id = free(step.id);
    const arms = armsOf(step);
    const own = id === step.id ? step : { ...step, id };
    return arms.length
      ? kindOfStep(own).withArms!(
          own,
          arms.map((arm) => ({ ...arm, id: free(arm.id), steps: withFreeIds(arm.steps, taken) })),
        )
      : own;
  });
}

/** A key for a new flow of a name, which none of the others has. */
export function freeKey(name: string, taken: readonly string[], otherwise = 'flow'): string {
  const plain = slugOf(name) || otherwise;
  if (!taken.includes(plain)) return plain;
  for (let n = 2; ; n++) if (!taken.includes(`${plain}-${n}`)) return `${plain}-${n}`;
}
