import { sayDuration } from '../time';
import { sayRule, type Wording } from '../rules';
import { eachStep, type Arm, type FlowDocument, type Step } from './document';
import { sayTrigger } from './start';

/** One difference between two versions of a flow, in words. */
export interface Change {
  readonly stepId: string | null;
  readonly says: string;
}

/** A name for a step where it has none of its own. */
export function sayStep(step: Step): string {
  switch (step.kind) {
    case 'wait': return `Wait ${sayDuration(step.for)}`;
    case 'send': return `Send “${step.name}”`;
    case 'branch': return `Branch “${step.name}”`;
    case 'end': return 'End';
  }
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
    if (step.kind === 'branch') for (const arm of step.arms) arms.set(arm.id, { arm, branch: step.id });
  });
  return { steps, arms };
}

/** Lists what differs between the version that is on and the draft, for the summary before publishing. */
export function diff(before: FlowDocument, after: FlowDocument, currency: string): Change[] {
  const changes: Change[] = [];
  const add = (stepId: string | null, says: string) => changes.push({ stepId, says });
  const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);
  const wording: Wording = { triggerType: after.trigger.event, currency };

  if (before.name !== after.name) add(null, `Name: “${before.name}” becomes “${after.name}”`);
  if (!same(before.trigger, after.trigger)) add('trigger', `Trigger: ${sayTrigger(after.trigger)} (was: ${sayTrigger(before.trigger)})`);
  for (const [part, label] of [['entry', 'Entry rule'], ['stay', 'Stay rule']] as const) {
    if (!same(before[part], after[part])) add('trigger', `${label}: ${after[part] ? sayRule(after[part], wording) : 'none'}`);
  }
  if (before.reentry !== after.reentry) add('trigger', `Re-entry: ${after.reentry.replaceAll('-', ' ')} (was ${before.reentry.replaceAll('-', ' ')})`);
  if (!same(before.goal, after.goal)) add('trigger', after.goal ? `Goal: ${after.goal.event} within ${sayDuration(after.goal.within)}` : 'Goal: none');

  const old = index(before);
  const now = index(after);
  const whom = (arm: Arm) => (arm.when ? sayRule(arm.when, wording) : 'everyone else');
  for (const [id, { step, within }] of now.steps) {
    const known = old.steps.get(id);
    if (!known) {
      add(id, `New: ${sayStep(step)}`);
      continue;
    }
    if (known.within !== within) add(id, `Moved: ${sayStep(step)}`);
    const was = known.step;
    if (step.kind !== was.kind) add(id, `${sayStep(was)} becomes: ${sayStep(step)}`);
    else if (step.kind === 'wait' && was.kind === 'wait' && step.for !== was.for) add(id, `Wait: ${sayDuration(was.for)} becomes ${sayDuration(step.for)}`);
    else if (step.kind === 'send' && was.kind === 'send') {
      if (step.name !== was.name) add(id, `Message “${was.name}” is now called “${step.name}”`);
      if (Boolean(step.off) !== Boolean(was.off)) add(id, `“${step.name}” is switched ${step.off ? 'off' : 'on'}`);
      if (step.message.subject !== was.message.subject) add(id, `“${step.name}”, subject: “${step.message.subject}”`);
      if (step.message.preview !== was.message.preview) add(id, `“${step.name}”, preview line: “${step.message.preview}”`);
      if (!same(step.message.blocks, was.message.blocks)) add(id, `“${step.name}”: the text has changed`);
      if (step.message.kind !== was.message.kind) add(id, `“${step.name}” is now a ${step.message.kind} message`);
    } else if (step.kind === 'branch' && was.kind === 'branch' && step.name !== was.name) add(id, `Branch “${was.name}” is now called “${step.name}”`);
  }
  for (const [id, { step }] of old.steps) if (!now.steps.has(id)) add(null, `Removed: ${sayStep(step)}`);
  for (const [id, { arm, branch }] of now.arms) {
    const was = old.arms.get(id)?.arm;
    if (!was) {
      // the arms of a new branch are new with it
      if (old.steps.has(branch)) add(branch, `New arm “${arm.name}”: ${whom(arm)}`);
      continue;
    }
    if (was.name !== arm.name) add(branch, `Arm “${was.name}” is now called “${arm.name}”`);
    if (!same(was.when, arm.when)) add(branch, `Arm “${arm.name}”: ${whom(arm)} (was: ${whom(was)})`);
  }
  for (const [id, { arm, branch }] of old.arms) if (!now.arms.has(id) && now.steps.has(branch)) add(branch, `Removed: arm “${arm.name}”`);
  if (!changes.length && !same(before, after)) add(null, 'Steps are in another order');
  return changes;
}
