import * as z from 'zod';
import { stepSchema, type FlowDocument, type Step } from './document';
import { freeId, insertSteps, placeOf, removeStep } from './edit';
import { armSteps, stepsWith } from './spot';
import { freshStep } from './steps';

const SCHEMA = 'viatic.steps/1';
const stretchSchema = z.strictObject({ schema: z.literal(SCHEMA), steps: z.array(stepSchema).min(1, 'holds no steps').max(200) });

/** Steps as a text that can be pasted into this flow, another one, or a letter to a colleague. */
export const stretchText = (steps: readonly Step[]): string => JSON.stringify({ schema: SCHEMA, steps }, null, 2);

/** Reads a copied stretch; null for a text that is none, words for one that is but cannot be used. */
export function readStretch(text: string): { readonly steps: readonly Step[] } | { readonly problem: string } | null {
  if (!text.includes(SCHEMA)) return null;
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch {
    return { problem: 'What was copied has been cut off or changed on its way. Copy the steps again.' };
  }
  const read = stretchSchema.safeParse(json);
  if (read.success) return { steps: read.data.steps };
  const [issue] = read.error.issues;
  return { problem: `What was copied cannot be used: ${issue!.path.join('.') || 'it'} ${issue!.message}.` };
}

/** The document without several steps. */
export const removeSteps = (flow: FlowDocument, ids: readonly string[]): FlowDocument => ids.reduce(removeStep, flow);

/** The document with copies of steps of one sequence right after the last of them; and the ids of the copies. */
export function duplicateSteps(
  flow: FlowDocument,
  ids: readonly string[],
): { readonly flow: FlowDocument; readonly ids: readonly string[] } {
  const last = ids.at(-1);
  const place = last === undefined ? null : placeOf(flow, last);
  return place ? pasteSteps(flow, { ...place, index: place.index + 1 }, stepsWith(flow, ids)) : { flow, ids: [] };
}

/** The document with steps put in at a place, and the ids they have got there. */
export function pasteSteps(
  flow: FlowDocument,
  place: { readonly armId: string | null; readonly index: number },
  steps: readonly Step[],
): { readonly flow: FlowDocument; readonly ids: readonly string[] } {
  const next = insertSteps(flow, place, steps);
  const into = place.armId === null ? next.steps : armSteps(next, place.armId);
  return { flow: next, ids: into.slice(place.index, place.index + steps.length).map((step) => step.id) };
}

/** The document with a stretch of one sequence put into the first arm of a new branch or test, which stands in its place; and the id of that. */
export function wrapSteps(
  flow: FlowDocument,
  ids: readonly string[],
  kind: 'branch' | 'test',
): { readonly flow: FlowDocument; readonly id: string | null } {
  const place = ids.length ? placeOf(flow, ids[0]!) : null;
  if (!place) return { flow, id: null };
  const id = freeId(flow, kind);
  const around = freshStep(kind, id);
  const steps = stepsWith(flow, ids);
  if (around.kind !== 'branch' && around.kind !== 'test') return { flow, id: null };
  const [first, ...others] = around.arms;
  const wrapped = { ...around, arms: [{ ...first!, steps: [...steps] }, ...others] };
  return { flow: insertSteps(removeSteps(flow, ids), place, [wrapped]), id };
}

/** The document with messages switched off, or on again. */
export function switchMessages(flow: FlowDocument, ids: readonly string[], isOff: boolean): FlowDocument {
  const chosen = new Set(ids);
  const through = (steps: readonly Step[], isInside: boolean): Step[] =>
    steps.map((step): Step => {
      const isChosen = isInside || chosen.has(step.id);
      if (step.kind === 'send') {
        if (!isChosen) return step;
        const { off: _, ...rest } = step;
        return isOff ? { ...rest, off: true } : rest;
      }
      if (!('arms' in step) || !step.arms) return step;
      return { ...step, arms: step.arms.map((arm) => ({ ...arm, steps: through(arm.steps, isChosen) })) } as Step;
    });
  return { ...flow, steps: through(flow.steps, false) };
}
