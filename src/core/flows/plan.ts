import { wakesOn, type Need, type Rule } from '../rules';
import { approximateMs } from '../time';
import { eachStep, type FlowDocument, type Step } from './document';
import { armsOf, kindOfStep } from './steps';
import { kindOfTrigger } from './triggers';

/** A document made ready for running: each step by id, what follows it, and what can change a waiting run's mind. */
export interface Plan {
  readonly document: FlowDocument;
  readonly first: string | null;
  readonly steps: ReadonlyMap<string, Step>;
  /** the step after this one where the paths have joined again; null at the end of the flow */
  readonly after: ReadonlyMap<string, string | null>;
  /** every rule that decides in this flow */
  readonly rules: readonly Rule[];
  /** what steps look at beside rules */
  readonly needs: readonly Need[];
  /** the keys of the offers of which it issues codes */
  readonly offersNamed: readonly string[];
  /** whether it sends what is subject to limits */
  readonly sendsMarketing: boolean;
  /** signals that can end an armed run before its moment */
  readonly wakesArmed: readonly string[];
  /** signals that can change the mind of a run inside: what its trigger, its stay rule and its goal look at */
  readonly wakesInside: readonly string[];
  /** signals that can change the mind of a run which only watches for its goal */
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
      for (const arm of armsOf(step)) link(arm.steps, next);
    });
  };
  link(document.steps, null);

  const { triggers, goal } = document;
  const rules: (Rule | null)[] = [document.entry, document.stay, goal && 'rule' in goal ? goal.rule : null];
  eachStep(document.steps, (step) => rules.push(...(kindOfStep(step).rules?.(step) ?? [])));
  const ends = [...new Set(triggers.flatMap((trigger) => kindOfTrigger(trigger).endsOn(trigger)))].sort();
  // what has begun may turn out, by an event that is told late, to have gone on for longer
  const longer = triggers.flatMap((trigger) => (kindOfTrigger(trigger).lead(trigger) === null ? [] : [trigger.event]));
  const goalSignals = goal ? ('rule' in goal ? wakesOn([goal.rule]) : [goal.event]) : [];
  return {
    document,
    first: document.steps[0]?.id ?? null,
    steps,
    after,
    rules: rules.filter((rule) => rule !== null),
    offersNamed: [...new Set([...steps.values()].flatMap((step) => (step.kind === 'code' ? [step.offer] : [])))],
    sendsMarketing: [...steps.values()].some((step) => step.kind === 'send' && step.message.kind === 'marketing'),
    wakesArmed: ends,
    wakesInside: [...new Set([...wakesOn([document.stay]), ...goalSignals, ...ends, ...longer])].sort(),
    needs: [...steps.values()].flatMap((step) => kindOfStep(step).needs?.(step) ?? []),
    wakesWatching: goalSignals,
  };
}

/** How long before somebody enters a flow's triggers begin at most, about, in milliseconds. */
export function leadOf({ triggers }: Pick<FlowDocument, 'triggers'>): number {
  return Math.max(0, ...triggers.map((trigger) => approximateMs(kindOfTrigger(trigger).lead(trigger) ?? 'PT0S')));
}
