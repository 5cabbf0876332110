import { approximateMs, DAY } from '../time';
import { eachStep, type FlowDocument, type Step } from './document';
import { changeStep, removeStep } from './edit';
import { kindOfStep } from './steps';
import type { Finding } from './finding';

interface Mend {
  /** what is done, as an act */
  readonly says: string;
  readonly of: (flow: FlowDocument, stepId: string | null) => FlowDocument;
}

const MENDS: { readonly [code: string]: Mend } = {
  'message-off': {
    says: 'Switch it on',
    of: (flow, id) =>
      changeStep(flow, id!, (step) => {
        const { off: _, ...on } = step as Extract<Step, { kind: 'send' }>;
        return on;
      }),
  },
  'never-reached': { says: 'Take it out', of: (flow, id) => removeStep(flow, id!) },
  idea: { says: 'Take it out', of: (flow, id) => removeStep(flow, id!) },
  'no-way-out': {
    says: 'Let people leave who order',
    of: (flow) =>
      flow.goal && 'event' in flow.goal
        ? { ...flow, goal: { ...flow.goal, ends: true } }
        : { ...flow, stay: { test: 'didNot', event: 'order.placed', since: 'entry' } },
  },
  'control-without-goal': {
    says: 'Count orders within 30 days',
    of: (flow) => ({ ...flow, goal: { event: 'order.placed', within: 'P30D', ends: false } }),
  },
  'goal-window': {
    says: 'Lengthen it',
    of: (flow) => {
      let waited = 0;
      eachStep(flow.steps, (step) => (waited += kindOfStep(step).span?.(step).least ?? 0));
      const within = `P${Math.ceil(waited / DAY) + 7}D`;
      return flow.goal && approximateMs(within) > approximateMs(flow.goal.within) ? { ...flow, goal: { ...flow.goal, within } } : flow;
    },
  },
};

/** What mends a finding in one act, and the flow after it; null where somebody has to decide. */
export function mendOf(
  flow: FlowDocument,
  { code, stepId }: Pick<Finding, 'code' | 'stepId'>,
): { says: string; document: FlowDocument } | null {
  const mend = Object.hasOwn(MENDS, code) ? MENDS[code]! : null;
  if (!mend) return null;
  const document = mend.of(flow, stepId);
  return JSON.stringify(document) === JSON.stringify(flow) ? null : { says: mend.says, document };
}
