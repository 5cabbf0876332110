import type { Arm, FlowDocument, Step } from './document';
import { insertSteps, placeOf, stepWith, type Place } from './edit';
import { planOf } from './plan';
import { armsOf, kindOfStep, sayStep } from './steps';

/** One way in which two drafts of a flow differ, small enough to be taken over by itself. */
export interface DraftPart {
  /** the same for the same part, whichever two drafts are held against each other */
  readonly id: string;
  readonly says: string;
}

const FIELDS: readonly (readonly [keyof FlowDocument, string])[] = [
  ['name', 'Its name'],
  ['description', 'What it is for'],
  ['tags', 'Its tags'],
  ['owner', 'Who looks after it'],
  ['stage', 'Where in the life of a customer it stands'],
  ['triggers', 'What starts it'],
  ['entry', 'Who enters'],
  ['stay', 'Who stays'],
  ['reentry', 'How often somebody may start'],
  ['window', 'The days on which people enter'],
  ['perDay', 'How many enter a day'],
  ['control', 'The control group'],
  ['priority', 'Its priority'],
  ['goal', 'Its goal'],
  ['checks', 'Its checks'],
  ['accepted', 'Warnings that are accepted'],
];

const isSame = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);
/** A step without what stands in its arms. */
const ownOf = (step: Step): unknown => ({
  ...step,
  ...(armsOf(step).length > 0 && { arms: armsOf(step).map(({ steps: _, ...arm }) => arm) }),
});
/** In which order the steps stand that are in both, with their arms: their skeleton. */
const orderOf = (steps: readonly Step[], both: ReadonlyMap<string, unknown>): unknown =>
  steps.flatMap((step) => (both.has(step.id) ? [[step.id, armsOf(step).map((arm) => [arm.id, orderOf(arm.steps, both)])]] : []));

/** What differs between two drafts, in parts that can be taken over one by one: fields of the flow, steps that are other, new or gone, and their order. */
export function partsBetween(mine: FlowDocument, theirs: FlowDocument): DraftPart[] {
  const [own, other] = [planOf(mine).steps, planOf(theirs).steps];
  const parts: DraftPart[] = FIELDS.filter(([field]) => !isSame(mine[field], theirs[field])).map(([field, says]) => ({
    id: `field ${field}`,
    says,
  }));
  for (const [id, step] of other) {
    const was = own.get(id);
    if (!was) {
      // what comes with a new step is part of it
      if (!holders(theirs, id).some((holder) => !own.has(holder))) parts.push({ id: `added ${id}`, says: `New: ${sayStep(step)}` });
    } else if (!isSame(ownOf(was), ownOf(step))) parts.push({ id: `step ${id}`, says: sayStep(step) });
  }
  for (const [id, step] of own)
    if (!other.has(id) && !holders(mine, id).some((holder) => !other.has(holder)))
      parts.push({ id: `gone ${id}`, says: `Gone: ${sayStep(step)}` });
  const both = new Map([...own].filter(([id]) => other.has(id)));
  if (!isSame(orderOf(mine.steps, both), orderOf(theirs.steps, both))) parts.push({ id: 'order', says: 'The order of the steps' });
  return parts;
}

/** The steps in whose arms a step stands. */
function holders(flow: FlowDocument, id: string): string[] {
  const place = placeOf(flow, id);
  if (!place || place.armId === null) return [];
  const holder = [...planOf(flow).steps.values()].find((step) => armsOf(step).some((arm) => arm.id === place.armId))!;
  return [holder.id, ...holders(flow, holder.id)];
}

/**
 * One draft with parts of another taken over. With all parts taken it is the other; with none it is as it was. A step that is taken
 * keeps what stands in its arms here, unless the order is taken too.
 */
export function takeOver(mine: FlowDocument, theirs: FlowDocument, taken: ReadonlySet<string>): FlowDocument {
  const [own, other] = [planOf(mine).steps, planOf(theirs).steps];
  const isTheirOrder = taken.has('order');
  const contentOf = (id: string): Step => {
    const [a, b] = [own.get(id), other.get(id)];
    return a && b ? (taken.has(`step ${id}`) ? b : a) : (a ?? b)!;
  };
  // where the order is theirs, steps that only they have fall out unless they are taken; and the other way round
  const base = isTheirOrder ? theirs : mine;
  const build = (steps: readonly Step[]): Step[] =>
    steps.flatMap((step) => {
      const has = own.has(step.id) && other.has(step.id);
      if (!has && isTheirOrder && !isTaken(theirs, step.id, taken, 'added')) return [];
      if (!has && !isTheirOrder && isTaken(mine, step.id, taken, 'gone')) return [];
      const content = contentOf(step.id);
      const arms = armsOf(content);
      if (!arms.length) return [content];
      const here = new Map(armsOf(step).map((arm) => [arm.id, arm.steps]));
      const filled = arms.map((arm): Arm => ({ ...arm, steps: build(here.get(arm.id) ?? []) }));
      return [kindOfStep(content).withArms!(content, filled)];
    });
  let merged: FlowDocument = { ...base, steps: build(base.steps) };
  for (const [field] of FIELDS) {
    const from = taken.has(`field ${field}`) ? theirs : mine;
    const { [field]: _, ...rest } = merged;
    merged = (from[field] === undefined ? rest : { ...rest, [field]: from[field] }) as FlowDocument;
  }
  // what is here stays unless its going is taken, whatever has become of the arm it stood in; what is new there comes in where it is taken
  const bring = (from: FlowDocument, isWanted: (id: string) => boolean) => {
    for (const id of planOf(from).steps.keys())
      if (isWanted(id) && !planOf(merged).steps.has(id))
        merged = insertSteps(merged, placeFor(from, merged, id), [without(stepWith(from, id)!, planOf(merged).steps)]);
  };
  bring(mine, (id) => !isTaken(mine, id, taken, 'gone'));
  bring(theirs, (id) => !own.has(id) && taken.has(`added ${id}`));
  return merged;
}

/** Whether a step, or one that holds it, is named as taken in one way. */
const isTaken = (flow: FlowDocument, id: string, taken: ReadonlySet<string>, way: 'added' | 'gone'): boolean =>
  [id, ...holders(flow, id)].some((one) => taken.has(`${way} ${one}`));

/** A step without what in its arms is there already. */
function without(step: Step, there: ReadonlyMap<string, Step>): Step {
  const arms = armsOf(step);
  if (!arms.length) return step;
  const left = arms.map((arm): Arm => ({
    ...arm,
    steps: arm.steps.filter((one) => !there.has(one.id)).map((one) => without(one, there)),
  }));
  return kindOfStep(step).withArms!(step, left);
}

/** Where a step of one flow comes to stand in another: after the one before it that is there, or else first in its arm. */
function placeFor(from: FlowDocument, into: FlowDocument, id: string): Place {
  const place = placeOf(from, id)!;
  const { steps } = planOf(into);
  const hasArm = place.armId === null || [...steps.values()].some((step) => armsOf(step).some((arm) => arm.id === place.armId));
  const armId = hasArm ? place.armId : null;
  const siblings =
    place.armId === null
      ? from.steps
      : [...planOf(from).steps.values()].flatMap((step) => armsOf(step).filter((arm) => arm.id === place.armId)).at(0)!.steps;
  for (let index = place.index - 1; index >= 0; index--) {
    const there = placeOf(into, siblings[index]!.id);
    if (there && there.armId === armId) return { ...there, index: there.index + 1 };
  }
  return { armId, index: 0 };
}

/** The parts in which a draft differs from another because the other was changed since both were the same, and not this one. */
export function untouched(base: FlowDocument, mine: FlowDocument, theirs: FlowDocument): Set<string> {
  const changed = new Set(partsBetween(base, mine).map(({ id }) => id.replace(/^(added|gone|step) /, '')));
  return new Set(
    partsBetween(mine, theirs)
      .map(({ id }) => id)
      .filter((id) => !changed.has(id.replace(/^(added|gone|step) /, ''))),
  );
}
