import { sayDay, sayRule } from '../rules';
import { eachStep, sayGoal, wordingOf, type Arm, type FlowDocument, type Step } from './document';
import { armsOf, goesByWhatComes, kindOfStep, sayStep } from './steps';
import { sayReentry } from './begin';
import { PLAIN_PRIORITY } from './person';
import { sayTriggers } from './triggers';

/** One difference between two versions of a flow, in words. */
export interface Change {
  readonly stepId: string | null;
  readonly says: string;
}

interface Index {
  readonly steps: ReadonlyMap<string, { readonly step: Step; /** the arm that it stands in, or none */ readonly within: string | null }>;
  readonly arms: ReadonlyMap<string, { readonly arm: Arm; readonly branch: string }>;
}

function index(flow: FlowDocument): Index {
  const steps = new Map<string, { step: Step; within: string | null }>();
  const arms = new Map<string, { arm: Arm; branch: string }>();
  eachStep(flow.steps, (step, path) => {
    steps.set(step.id, { step, within: path.at(-1)?.id ?? null });
    for (const arm of armsOf(step)) arms.set(arm.id, { arm, branch: step.id });
  });
  return { steps, arms };
}

/** On which days people enter. */
export const sayWindow = (window: FlowDocument['window']): string =>
  !window || (!window.from && !window.to)
    ? 'always'
    : [window.from && `from ${sayDay(window.from)}`, window.to && `to ${sayDay(window.to)}`].filter(Boolean).join(' ');

/** Lists what differs between the version that is on and the draft, for the summary before publishing. */
export function diff(before: FlowDocument, after: FlowDocument, currency: string): Change[] {
  const changes: Change[] = [];
  const add = (stepId: string | null, says: string) => changes.push({ stepId, says });
  const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);
  const wording = wordingOf(after, currency);

  if (before.name !== after.name) add(null, `Name: “${before.name}” becomes “${after.name}”`);
  if (!same(before.triggers, after.triggers))
    add('trigger', `Trigger: ${sayTriggers(after.triggers)} (was: ${sayTriggers(before.triggers)})`);
  for (const [part, label] of [
    ['entry', 'Entry rule'],
    ['stay', 'Stay rule'],
  ] as const) {
    if (!same(before[part], after[part])) add('trigger', `${label}: ${after[part] ? sayRule(after[part], wording) : 'none'}`);
  }
  if (!same(before.reentry, after.reentry)) add('trigger', `May start: ${sayReentry(after.reentry)} (was ${sayReentry(before.reentry)})`);
  if (!same(before.window, after.window)) add('trigger', `Days: ${sayWindow(after.window)} (was: ${sayWindow(before.window)})`);
  if (before.control !== after.control)
    add('trigger', after.control ? `Control group: ${after.control} % get nothing` : 'Control group: none');
  if (!same([before.description, before.tags, before.owner, before.stage], [after.description, after.tags, after.owner, after.stage]))
    add(null, 'What is said about the flow has changed');
  if (!same(before.perDay ?? null, after.perDay ?? null))
    add('trigger', `Enter on one day: ${sayPerDay(after.perDay)} (was ${sayPerDay(before.perDay)})`);
  if (before.priority !== after.priority)
    add('trigger', `Priority: ${after.priority ?? PLAIN_PRIORITY} (was ${before.priority ?? PLAIN_PRIORITY})`);
  if (!same(before.goal, after.goal)) add('trigger', after.goal ? `Goal: ${sayGoal(after.goal)}` : 'Goal: none');

  if (!same(before.checks ?? [], after.checks ?? [])) add('trigger', `Checks: ${sayNames(after.checks)} (was: ${sayNames(before.checks)})`);
  if (!same(before.accepted ?? [], after.accepted ?? [])) add(null, 'Which warnings are accepted has changed');

  const old = index(before);
  const now = index(after);
  const whom = (arm: Arm) => (arm.when ? sayRule(arm.when, wording) : 'everyone else');
  // the arms of a wait go by what comes
  const isOfWait = (id: string) => {
    const step = now.steps.get(id)?.step;
    return step !== undefined && goesByWhatComes(step);
  };
  for (const [id, { step, within }] of now.steps) {
    const known = old.steps.get(id);
    if (!known) {
      add(id, `New: ${sayStep(step)}`);
      continue;
    }
    if (known.within !== within) add(id, `Moved: ${sayStep(step)}`);
    const was = known.step;
    if (step.kind !== was.kind) add(id, `${sayStep(was)} becomes: ${sayStep(step)}`);
    else for (const says of kindOfStep(step).differs?.(was, step) ?? []) add(id, says);
  }
  for (const [id, { step }] of old.steps) if (!now.steps.has(id)) add(null, `Removed: ${sayStep(step)}`);
  for (const [id, { arm, branch }] of now.arms) {
    const was = old.arms.get(id)?.arm;
    if (!was) {
      // the arms of a new branch are new with it
      if (old.steps.has(branch)) add(branch, isOfWait(branch) ? `New way on: “${arm.name}”` : `New arm “${arm.name}”: ${whom(arm)}`);
      continue;
    }
    if (was.name !== arm.name) add(branch, `Arm “${was.name}” is now called “${arm.name}”`);
    if (!same(was.when, arm.when)) add(branch, `Arm “${arm.name}”: ${whom(arm)} (was: ${whom(was)})`);
  }
  for (const [id, { arm, branch }] of old.arms) if (!now.arms.has(id) && now.steps.has(branch)) add(branch, `Removed: arm “${arm.name}”`);
  if (!changes.length && !same(before, after)) add(null, 'Steps are in another order');
  return changes;
}

const sayNames = (checks: FlowDocument['checks']): string => (checks?.length ? checks.map(({ name }) => `“${name}”`).join(', ') : 'none');

const sayPerDay = (perDay: FlowDocument['perDay']): string =>
  perDay
    ? `${perDay.most.toLocaleString('en-IE')} at most, the others ${perDay.beyond === 'wait' ? 'wait' : 'do not enter'}`
    : 'any number';
