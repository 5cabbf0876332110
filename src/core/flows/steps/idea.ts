import * as z from 'zod';
import { stepId } from '../parts';
import type { StepKind } from './kind';

/** A step that is only a sentence yet, for planning: it does nothing, and keeps the flow from being published. */
export interface IdeaStep {
  id: string;
  kind: 'idea';
  text: string;
}
export const ideaSchema = z.strictObject({
  id: stepId,
  kind: z.literal('idea'),
  text: z.string().trim().min(1, 'must not be empty').max(500),
});

const short = (text: string) => (text.length > 60 ? `${text.slice(0, 59).trimEnd()}…` : text);

export const ideaKind: StepKind<IdeaStep> = {
  run(_, here) {
    here.note('skipped', { saw: { idea: true } });
    return { to: 'next' };
  },
  fresh: (id) => ({ id, kind: 'idea', text: 'What should happen here?' }),
  says: (step) => `Idea: ${short(step.text)}`,
  saysNext: (step) => `Idea: ${short(step.text)}`,
  check: (step, add) =>
    add('idea', 'stops', `“${short(step.text)}” is only an idea yet`, 'Make a step of it, or remove it, before the flow is published.'),
  differs: (was, is) => (was.text === is.text ? [] : [`Idea: ${short(was.text)} becomes: ${short(is.text)}`]),
};
