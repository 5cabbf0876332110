import { approximateMs, DAY, sayDuration } from '../time';
import { placeholderProblem, renderProblem, withoutFallback } from '../messages';
import { partsOf, type Rule, type Test } from '../rules';
import { eachStep, type FlowDocument } from './document';

/** Something to mend before publishing (`stops`) or to think about (`warns`), with its place. */
export interface Finding {
  readonly level: 'stops' | 'warns';
  /** the step, or null for the flow as a whole */
  readonly stepId: string | null;
  readonly says: string;
  readonly mend: string;
}

/** Checks a flow before it runs, in words with the place and the mend. */
export function preflight(flow: FlowDocument): Finding[] {
  const findings: Finding[] = [];
  const add = (level: Finding['level'], stepId: string | null, says: string, mend: string) => findings.push({ level, stepId, says, mend });
  let sends = 0;
  let waited = 0;

  eachStep(flow.steps, (step) => {
    if (step.kind === 'wait') {
      const ms = approximateMs(step.for);
      waited += ms;
      if (ms < 60_000) add('warns', step.id, `A wait of only ${sayDuration(step.for)}`, 'Waits this short are usually left over from trying out; set it to what customers should get.');
      if (ms > 60 * DAY) add('warns', step.id, `A wait of ${sayDuration(step.for)}`, 'Check the unit: was a shorter time meant?');
      return;
    }
    if (step.kind === 'branch') {
      const names = new Set(step.arms.map((arm) => arm.name));
      if (names.size < step.arms.length) add('warns', step.id, `Two arms of “${step.name}” have the same name`, 'Give each arm its own name, so that results can be told apart.');
      for (const arm of step.arms) {
        if (arm.when && isContradiction(arm.when)) add('stops', step.id, `Nobody can take “${arm.name}”`, 'Its two amounts exclude each other; correct one of them.');
      }
      return;
    }
    if (step.kind !== 'send') return;
    sends += 1;
    const { message } = step;
    if (step.off) add('warns', step.id, `“${step.name}” is off`, 'Switch the message on, or people pass by without getting it.');
    if (!message.subject.trim()) add('stops', step.id, `“${step.name}” has no subject`, 'Write a subject line.');
    const texts = message.blocks.flatMap((block) => ('text' in block ? [block.text] : block.kind === 'button' ? [block.label, block.url] : []));
    if (!texts.some((text) => text.trim()) && !message.blocks.some((block) => block.kind === 'cart')) add('stops', step.id, `“${step.name}” is empty`, 'Write its text.');
    let isReadable = true;
    for (const text of [message.subject, message.preview, ...texts]) {
      const problem = placeholderProblem(text);
      if (problem) isReadable = false;
      if (problem) add('stops', step.id, `In “${step.name}” ${problem}`, 'Correct or remove the placeholder.');
      else for (const path of withoutFallback(text)) add('warns', step.id, `{{ ${path} }} in “${step.name}” has no fallback`, `Write {{ ${path} | fallback: "…" }} for people whose ${path.replace('person.', '')} is not known.`);
    }
    const beyond = isReadable ? renderProblem(message) : null;
    if (beyond) add('stops', step.id, `“${step.name}” cannot be put together: ${beyond}`, 'It has more work to do than a message may, such as a loop that goes on too long; make it shorter.');
    if (message.kind === 'service' && message.blocks.some((block) => block.kind === 'offer')) add('stops', step.id, `“${step.name}” is a service message with an offer`, 'Service messages carry no offers: make it marketing or take the offer out.');
    if (message.kind === 'marketing' && message.blocks.some((block) => block.kind === 'cart') && !flow.trigger.event.startsWith('cart.')) {
      add('warns', step.id, `“${step.name}” shows a cart, but ${flow.trigger.event} starts this flow`, 'Only events of a cart carry its items.');
    }
  });

  if (!sends) add('warns', null, 'The flow sends nothing', 'Add a message.');
  if (!flow.stay) add('warns', null, 'There is no stay rule', 'Without one, people go on getting messages after they have bought.');
  if (flow.goal && waited > approximateMs(flow.goal.within)) add('warns', null, `The goal's window of ${sayDuration(flow.goal.within)} is shorter than the flow`, 'Orders after the last message would not count; lengthen the window.');
  return findings.sort((a, b) => Number(a.level === 'warns') - Number(b.level === 'warns'));
}

/** True for an "all of" that asks one trigger property to be at least more than it may at most be. */
function isContradiction(rule: Rule): boolean {
  const parts = partsOf(rule);
  if (!parts || !('all' in rule)) return false;
  const bounds = new Map<string, { low: number; high: number }>();
  for (const part of parts) {
    const test = part as Test;
    if (partsOf(part) || test.test !== 'trigger' || typeof test.value !== 'number') continue;
    const bound = bounds.get(test.property) ?? { low: -Infinity, high: Infinity };
    if (test.op === 'atLeast' || test.op === 'above') bound.low = Math.max(bound.low, test.value);
    if (test.op === 'atMost' || test.op === 'below') bound.high = Math.min(bound.high, test.value);
    bounds.set(test.property, bound);
  }
  return [...bounds.values()].some((bound) => bound.low > bound.high);
}
