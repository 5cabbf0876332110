import type { Arm, Step } from '../document';
import { branchKind, type BranchStep } from './branch';
import { callKind, type CallStep } from './call';
import { codeKind, type CodeStep } from './code';
import { endKind, type EndStep } from './end';
import type { StepKind } from './kind';
import { handKind, type HandStep } from './hand';
import { ideaKind, type IdeaStep } from './idea';
import { lookupKind, type LookupStep } from './lookup';
import { noteKind, type NoteStep } from './note';
import { recordKind, type RecordStep } from './record';
import { sendKind, type SendStep } from './send';
import { taskKind, type TaskStep } from './task';
import { testKind, type TestStep } from './test';
import { updateKind, type UpdateStep } from './update';
import { waitKind, type WaitStep } from './wait';

export { CALL_ENDED } from './call';
export { codeHeld, type CodeHeld } from './code';
export { sayOwner, TASK_CLOSED, type TaskOwner } from './task';
export { handing } from './hand';
export { sayLookupBy, type LookupBy } from './lookup';
export { sayNoteTo, type NoteTo } from './note';
export { hopsOf, MOST_HOPS } from './record';
export { formsOf, inAllForms, inLanguage, languageOf, messageOf, MOST_VERSIONS, type MessageVersion } from './send';
export { FEWEST_TO_DECIDE, sayShares, sayTrial, type Trial } from './test';
export { changeOf, MOST_OTHERS, sayUpdate, sayUpdated, type Update, type UpdateSource } from './update';
export { sayLimit, sayShortWait, sayWait, type WaitDate, type WaitParcel, type WaitUntil } from './wait';
export type {
  BranchStep,
  CallStep,
  CodeStep,
  EndStep,
  HandStep,
  IdeaStep,
  LookupStep,
  NoteStep,
  RecordStep,
  SendStep,
  TaskStep,
  TestStep,
  UpdateStep,
  WaitStep,
};
export type { Awaited, Span } from './kind';

export interface StepKinds {
  wait: WaitStep;
  send: SendStep;
  branch: BranchStep;
  test: TestStep;
  record: RecordStep;
  update: UpdateStep;
  hand: HandStep;
  call: CallStep;
  code: CodeStep;
  lookup: LookupStep;
  note: NoteStep;
  task: TaskStep;
  idea: IdeaStep;
  end: EndStep;
}

const KINDS: { readonly [K in keyof StepKinds]: StepKind<StepKinds[K]> } = {
  wait: waitKind,
  send: sendKind,
  branch: branchKind,
  test: testKind,
  record: recordKind,
  update: updateKind,
  hand: handKind,
  call: callKind,
  code: codeKind,
  lookup: lookupKind,
  note: noteKind,
  task: taskKind,
  idea: ideaKind,
  end: endKind,
};

/** What there is to know of a step, by its kind. */
export const kindOfStep = (step: Step): StepKind<Step> => KINDS[step.kind] as StepKind<Step>;

/** Every kind of step, in the order in which they are offered. */
export const STEP_KINDS = [
  'wait',
  'send',
  'branch',
  'test',
  'code',
  'update',
  'record',
  'lookup',
  'call',
  'task',
  'note',
  'hand',
  'idea',
  'end',
] as const satisfies readonly (keyof StepKinds)[];

/** A new step of a kind. */
export const freshStep = (kind: keyof StepKinds, id: string): Step => KINDS[kind].fresh(id);

/** Whether the two arms of a step go by what comes of it: the first for those for whom it came. */
export const goesByWhatComes = (step: Step): boolean =>
  step.kind === 'wait' || step.kind === 'code' || step.kind === 'lookup' || kindOfStep(step).actsFirst === true;

const NO_ARMS: readonly Arm[] = [];

/** Whether what comes of a step can be asked for further on. */
export const leavesAnswer = (step: Step): boolean =>
  kindOfStep(step).leavesAnswer === true || Boolean(kindOfStep(step).awaits?.(step, { flow: '', key: '' }));

/** The ways out of a step that has several; none for all other steps. */
export const armsOf = (step: Step): readonly Arm[] => kindOfStep(step).arms?.(step) ?? NO_ARMS;

/** A name for a step where it has none of its own: "Wait 3 days". */
export const sayStep = (step: Step): string => kindOfStep(step).says(step);
