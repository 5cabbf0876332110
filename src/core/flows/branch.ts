import { evaluate, type Because, type Facts, type Viewpoint, type Wording } from '../rules';
import type { Arm, BranchStep } from './document';

export interface BranchAnswer {
  readonly arm: Arm;
  readonly because: Because;
}

/** Picks the first arm whose condition holds; the last arm takes everyone else. */
export function armOf(step: BranchStep, facts: Facts, view: Viewpoint, wording: Wording): BranchAnswer {
  const looked: Because[] = [];
  for (const arm of step.arms) {
    if (arm.when === null) return { arm, because: { holds: true, says: `everyone else takes “${arm.name}”`, parts: looked } };
    const answer = evaluate(arm.when, facts, view, wording);
    if (answer.holds) return { arm, because: looked.length ? { holds: true, says: `first arm that holds is “${arm.name}”`, parts: [...looked, answer.because] } : answer.because };
    looked.push(answer.because);
  }
  throw new Error(`branch ${step.id} has no arm for everyone else`);
}
