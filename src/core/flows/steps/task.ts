import * as z from 'zod';
import { placeholderProblem } from '../../messages';
import { propertyName } from '../../rules';
import { sayDuration } from '../../time';
import type { Arm } from '../document';
import { name, stepId } from '../parts';
import { askAndWait, askingArms, askingShape, askingSpan, awaitedOf, boundTo, type Asking } from './asked';
import type { StepKind } from './kind';

/** A colleague has done what a flow asked them for, or has said that it will not be done: told as an event of whom it is about. */
export const TASK_CLOSED = 'task.closed';

/** Who does it: always the same, or whom an attribute of the person names. */
export type TaskOwner = { to: string } | { attribute: string };

/** Asks a colleague for something, and goes on when it is done, or when its time is over. */
export interface TaskStep extends Asking {
  id: string;
  kind: 'task';
  name: string;
  /** what is to be done, with placeholders */
  text: string;
  owner: TaskOwner;
}

export const taskSchema = (arm: z.ZodType<Arm>) =>
  z.strictObject({
    id: stepId,
    kind: z.literal('task'),
    name,
    text: z.string().max(4000),
    owner: z.union([z.strictObject({ to: z.string().trim().max(120) }), z.strictObject({ attribute: propertyName })]),
    ...askingShape(arm),
  });

export const sayOwner = (owner: TaskOwner): string => ('to' in owner ? owner.to || 'anybody' : `whoever their ${owner.attribute} names`);

export const taskKind: StepKind<TaskStep> = {
  actsOnce: true,
  run: (step, here) =>
    askAndWait(step, here, {
      event: TASK_CLOSED,
      deed: { kind: 'task', within: step.within, about: boundTo(step.id, { flow: here.flow, key: here.about.key }) },
      read: ({ properties }) => ({
        isGood: properties.done === true,
        ...(properties.done !== true && { because: 'it will not be done' }),
        data: { by: properties.by ?? null, note: properties.note ?? null },
      }),
    }),
  fresh: (id) => ({ id, kind: 'task', name: 'Call them', text: '', owner: { to: '' }, within: 'P2D' }),
  says: (step) => `Task “${step.name}”`,
  saysNext: (step) => `Task “${step.name}”`,
  awaits: (step, of) => awaitedOf(TASK_CLOSED, step.id, of),
  ...askingArms,
  withArms: (step, arms) => (step.arms ? { ...step, arms: [...arms] } : step),
  span: askingSpan,
  actsFirst: true,
  check(step, add) {
    const problem = placeholderProblem(step.text);
    if (problem) add('placeholder-unreadable', 'stops', `In “${step.name}” ${problem}`, 'Correct or remove the placeholder.');
    if (!step.text.trim())
      add('nothing-to-do', 'warns', `“${step.name}” does not say what is to be done`, 'Write it down for whoever opens the task.');
  },
  differs: (was, is) => [
    ...(is.name === was.name ? [] : [`“${was.name}” is now called “${is.name}”`]),
    ...(is.text === was.text ? [] : [`“${is.name}”: what is to be done has changed`]),
    ...(JSON.stringify(is.owner) === JSON.stringify(was.owner)
      ? []
      : [`“${is.name}” is for ${sayOwner(is.owner)} instead of ${sayOwner(was.owner)}`]),
    ...(is.within === was.within ? [] : [`“${is.name}” has ${sayDuration(is.within)} instead of ${sayDuration(was.within)}`]),
  ],
};
