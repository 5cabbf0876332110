import { wakesOn, type Rule } from '../rules';
import { FLOW_CALLED } from './start';
import { eachStep, type FlowDocument, type Step } from './document';

/** A document made ready for running: each step by id, what follows it, and what can change a waiting run's mind. */
export interface Plan {
  readonly document: FlowDocument;
  readonly first: string | null;
  readonly steps: ReadonlyMap<string, Step>;
  /** the step after this one where the paths have joined again; null at the end of the flow */
  readonly after: ReadonlyMap<string, string | null>;
  /** event types whose history is needed to decide anything in this flow */
  readonly needs: readonly string[];
  /** event types that can change the mind of a run inside */
  readonly wakesInside: readonly string[];
  /** event types that can change the mind of a run which only watches for its goal */
  readonly wakesWatching: readonly string[];
}

const plans = new WeakMap<FlowDocument, Plan>();

/** Prepares a document for {@link advance}; the same document object is prepared once. */
export function planOf(document: FlowDocument): Plan {
  let plan = plans.get(document);
  if (!plan) {
    plan = prepare(document);
    plans.set(document, plan);
  }
  return plan;
}

function prepare(document: FlowDocument): Plan {
  const steps = new Map<string, Step>();
  const after = new Map<string, string | null>();
  const link = (sequence: readonly Step[], continuation: string | null): void => {
    sequence.forEach((step, index) => {
      const next = sequence[index + 1]?.id ?? continuation;
      steps.set(step.id, step);
      after.set(step.id, next);
      if (step.kind === 'branch') for (const arm of step.arms) link(arm.steps, next);
    });
  };
  link(document.steps, null);

  const rules: (Rule | null)[] = [document.entry, document.stay];
  eachStep(document.steps, (step) => {
    if (step.kind === 'branch') for (const arm of step.arms) rules.push(arm.when);
  });
  const { trigger, goal } = document;
  const needs = new Set(wakesOn(rules));
  needs.add(trigger.event);
  needs.add(FLOW_CALLED);
  if (trigger.kind === 'silence' && trigger.unless) needs.add(trigger.unless.event);
  if (goal) needs.add(goal.event);

  return {
    document,
    first: document.steps[0]?.id ?? null,
    steps,
    after,
    needs: [...needs].sort(),
    wakesInside: [...new Set([...wakesOn([document.stay]), ...(goal ? [goal.event] : [])])].sort(),
    wakesWatching: goal ? [goal.event] : [],
  };
}
