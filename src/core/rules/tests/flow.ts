import * as z from 'zod';
import { sayNamed, type Wording } from '../wording';
import type { TestKind } from './kind';
import { eventKind, type EventTest } from './event';

export const FLOW_ENTERED = 'flow.entered';
/** Tells that one flow has handed somebody over to another. */
export const FLOW_HANDED = 'flow.handed';
export const FLOW_LEFT = 'flow.left';
export const FLOW_OUTCOMES = ['completed', 'goal', 'left', 'undone'] as const;

/** Whether the person is inside a flow, has ever been, or has come out of it, and how. */
export const flowSchema = z
  .strictObject({
    test: z.literal('flow'),
    flow: z.string().min(1).max(60),
    was: z.enum(['inside', 'entered', 'left']),
    how: z.enum(FLOW_OUTCOMES).optional(),
    is: z.boolean(),
  })
  .refine(({ was, how }) => how === undefined || was === 'left', { path: ['how'], message: 'goes with "left"' });
type FlowTest = z.infer<typeof flowSchema>;

/** The same as a test of events: going in and coming out are events of our own. */
export function asEvents({ flow, was, how, is }: FlowTest): EventTest {
  const of = { property: 'flow', op: 'is', value: flow } as const;
  return {
    test: is ? 'did' : 'didNot',
    event: was === 'left' ? FLOW_LEFT : FLOW_ENTERED,
    where: [of, ...(how ? [{ property: 'outcome', op: 'is' as const, value: how }] : [])],
    ...(was === 'inside' && { then: { event: FLOW_LEFT, by: 'run', did: false } }),
    since: 'ever',
  };
}

const HOW: { readonly [outcome in (typeof FLOW_OUTCOMES)[number]]: string } = {
  completed: ' at its end',
  goal: ' by its goal',
  left: ' before its end',
  undone: ' as it turned out not to have begun',
};
const say = ({ flow: key, was, how }: FlowTest, is: boolean, wording: Wording): string => {
  const flow = sayNamed('flow', key, wording);
  return was === 'inside'
    ? `is ${is ? '' : 'not '}in the flow ${flow}`
    : was === 'entered'
      ? `has ${is ? '' : 'never '}been in the flow ${flow}`
      : `has ${is ? '' : 'not '}come out of the flow ${flow}${how ? HOW[how] : ''}`;
};

export const flowKind: TestKind<FlowTest> = {
  look(test, facts, view) {
    const { holds, until } = eventKind.look(asEvents(test), facts, view);
    return { holds, until, saw: holds === test.is };
  },
  needs: (test) => eventKind.needs(asEvents(test)),
  turns: () => true,
  says: (test, wording) => say(test, test.is, wording),
  saySaw: (test, { saw }, wording) => say(test, saw === true, wording),
};
