import type { Arm, Step } from '../document';
import { branchKind, type BranchStep } from './branch';
import { endKind, type EndStep } from './end';
import type { StepKind } from './kind';
import { recordKind, type RecordStep } from './record';
import { sendKind, type SendStep } from './send';
import { testKind, type TestStep } from './test';
import { waitKind, type WaitStep } from './wait';

export { hopsOf, MOST_HOPS } from './record';
export { sayShares } from './test';
export { sayWait } from './wait';
export type { BranchStep, EndStep, RecordStep, SendStep, TestStep, WaitStep };
export type { Awaited, Span } from './kind';

export interface StepKinds {
  wait: WaitStep;
  send: SendStep;
  branch: BranchStep;
  test: TestStep;
  record: RecordStep;
  end: EndStep;
}

const KINDS: { readonly [K in keyof StepKinds]: StepKind<StepKinds[K]> } = {
  wait: waitKind,
  send: sendKind,
  branch: branchKind,
  test: testKind,
  record: recordKind,
  end: endKind,
};

/** What there is to know of a step, by its kind. */
export const kindOfStep = (step: Step): StepKind<Step> => KINDS[step.kind] as StepKind<Step>;

const NO_ARMS: readonly Arm[] = [];

/** The ways out of a step that has several; none for all other steps. */
export const armsOf = (step: Step): readonly Arm[] => kindOfStep(step).arms?.(step) ?? NO_ARMS;

/** A name for a step where it has none of its own: "Wait 3 days". */
export const sayStep = (step: Step): string => kindOfStep(step).says(step);
