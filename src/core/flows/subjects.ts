import type { FlowDocument } from './document';
import { changeStep, freeId, insertSteps, placeOf, removeStep, stepWith } from './edit';
import { freshStep, type SendStep, type TestStep } from './steps';

/** How many subjects are tried against one another at most. */
export const MOST_SUBJECTS = 6;

/**
 * The document with a letter put to the test under several subjects: everyone draws one of them, in equal parts; the letter is
 * otherwise the same. What looks at the letter afterwards ("opened it") looks at it under any of them. Answers with the id of the
 * test, or with null where the step is no letter.
 */
export function testSubjects(
  flow: FlowDocument,
  stepId: string,
  subjects: readonly string[],
): { readonly flow: FlowDocument; readonly id: string | null } {
  const step = stepWith(flow, stepId);
  const place = placeOf(flow, stepId);
  if (step?.kind !== 'send' || step.message.channel !== 'email' || !place || subjects.length < 2) return { flow, id: null };
  const id = freeId(flow, `${stepId}-subjects`);
  const under = (subject: string): SendStep => ({ ...step, message: { ...step.message, subject } as SendStep['message'] });
  const test: TestStep = {
    ...(freshStep('test', id) as TestStep),
    name: `Subjects of ${step.name}`.slice(0, 80),
    arms: subjects.map((subject, index) => ({
      id: `${id}-${index + 1}`.slice(0, 40),
      name: subject.trim().slice(0, 60) || `Subject ${index + 1}`,
      when: null,
      share: 1,
      // the first keeps the id of the letter, so that its figures go on; the others get their own
      steps: [{ ...under(subject), id: index ? `${stepId}-s${index + 1}`.slice(0, 40) : stepId }],
    })),
  };
  const placed = insertSteps(removeStep(flow, stepId), place, [test]);
  const kept = stepWith(placed, id) as TestStep;
  const ids = kept.arms.flatMap(({ steps }) => steps.map((one) => one.id));
  return { flow: changeStep(askingFor(placed, stepId, ids), id, () => kept), id };
}

/** A part of a document in which whatever asks for one step asks for any of several. */
function askingFor<T>(part: T, stepId: string, ids: readonly string[]): T {
  if (Array.isArray(part)) return part.map((one: unknown) => askingFor(one, stepId, ids)) as T;
  if (part === null || typeof part !== 'object') return part;
  const { property, op, value } = part as { property?: unknown; op?: unknown; value?: unknown };
  if (property === 'step' && op === 'is' && value === stepId) return { ...part, op: 'oneOf', value: [...ids] };
  if (property === 'step' && op === 'oneOf' && Array.isArray(value) && value.includes(stepId))
    return { ...part, value: [...new Set([...(value as string[]), ...ids])] };
  return Object.fromEntries(Object.entries(part).map(([name, one]) => [name, askingFor(one as unknown, stepId, ids)])) as T;
}
