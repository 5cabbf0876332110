import { describe, expect, it } from 'vitest';
import { firstOrder } from '../../demo/flows';
import { flowSchema, stepsOf, type FlowDocument } from './document';
import { keepArm } from './edit';
import { testSubjects } from './subjects';

const opened = (step: string) => ({
  test: 'did' as const,
  event: 'message.opened',
  since: 'entry' as const,
  where: [{ property: 'step', op: 'is' as const, value: step }],
});
const letter = stepsOf(firstOrder).find((step) => step.kind === 'send')!.id;
const asking: FlowDocument = flowSchema.parse({
  ...firstOrder,
  steps: [
    ...firstOrder.steps,
    {
      id: 'read-it',
      kind: 'branch',
      name: 'Read it',
      arms: [
        { id: 'yes', name: 'Yes', when: opened(letter), steps: [] },
        { id: 'no', name: 'No', when: null, steps: [] },
      ],
    },
  ],
});
const subjectsOf = (flow: FlowDocument, ids: readonly string[]) =>
  ids.map((id) => {
    const step = stepsOf(flow).find((one) => one.id === id);
    return step?.kind === 'send' && step.message.channel === 'email' ? step.message.subject : null;
  });

describe('a letter put to the test under several subjects', () => {
  const { flow, id } = testSubjects(asking, letter, ['One', 'Two', 'Three']);
  const test = stepsOf(flow).find((step) => step.id === id)!;
  const ids = test.kind === 'test' ? test.arms.flatMap(({ steps }) => steps.map((step) => step.id)) : [];

  it('is a test of as many arms, each with the letter under its subject; the first keeps its id', () => {
    expect(flowSchema.safeParse(flow).error).toBeUndefined();
    expect(ids).toHaveLength(3);
    expect(ids[0]).toBe(letter);
    expect(subjectsOf(flow, ids)).toEqual(['One', 'Two', 'Three']);
    expect(test.kind === 'test' && test.arms.map(({ share }) => share)).toEqual([1, 1, 1]);
  });

  it('what asks whether it was opened asks so under any subject, in the same place as before', () => {
    const branch = stepsOf(flow).find((step) => step.id === 'read-it')!;
    expect(branch.kind === 'branch' && branch.arms[0]!.when).toMatchObject({ where: [{ property: 'step', op: 'oneOf', value: ids }] });
    const order = (one: FlowDocument) => stepsOf(one).map((step) => step.id);
    expect(order(flow).indexOf(id!)).toBe(order(asking).indexOf(letter));
  });

  it('with one of them kept, is the letter as it was, under that subject', () => {
    const kept = keepArm(flow, id!, test.kind === 'test' ? test.arms[1]!.id : '');
    expect(subjectsOf(kept, [ids[1]!])).toEqual(['Two']);
    expect(stepsOf(kept)).toHaveLength(stepsOf(asking).length);
  });

  it('needs a letter, and two subjects', () => {
    expect(testSubjects(asking, 'read-it', ['One', 'Two']).id).toBeNull();
    expect(testSubjects(asking, letter, ['One']).flow).toBe(asking);
  });
});
