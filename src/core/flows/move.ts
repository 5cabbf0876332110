import type { FlowDocument } from './document';
import { planOf } from './plan';

/** Where somebody stands in another version of a flow: at a step of it, or, with null, through with the steps. */
export interface Moved {
  readonly step: string | null;
  /** it is the very step they were at, so that a wait that has begun goes on */
  readonly isSame: boolean;
}

/**
 * Where a run that stands at a step of one version goes on in another: at the same step, by its id; where that is gone, at the
 * next one after it that is there.
 */
export function stepIn(next: FlowDocument, was: FlowDocument, step: string | null): Moved {
  const { steps } = planOf(next);
  const before = planOf(was);
  for (let at = step; at !== null; at = before.after.get(at) ?? null) {
    const there = steps.get(at);
    if (there) return { step: at, isSame: at === step && there.kind === before.steps.get(at)?.kind };
  }
  return { step: null, isSame: step === null };
}
