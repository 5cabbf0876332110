import type { Arm, FlowDocument, Step } from './document';

function inSteps(steps: readonly Step[], id: string, change: (step: Step) => Step): Step[] {
  return steps.map((step) => {
    if (step.id === id) return change(step);
    if (step.kind !== 'branch') return step;
    const arms = step.arms.map((arm) => ({ ...arm, steps: inSteps(arm.steps, id, change) }));
    return { ...step, arms };
  });
}

/** The document with one step changed, wherever it stands. */
export function changeStep(flow: FlowDocument, id: string, change: (step: Step) => Step): FlowDocument {
  return { ...flow, steps: inSteps(flow.steps, id, change) };
}

/** The document with one arm of a branch changed. */
export function changeArm(flow: FlowDocument, branchId: string, armId: string, change: (arm: Arm) => Arm): FlowDocument {
  return changeStep(flow, branchId, (step) => (step.kind === 'branch' ? { ...step, arms: step.arms.map((arm) => (arm.id === armId ? change(arm) : arm)) } : step));
}
