import { namedBy, testsOf, type OnFile } from '../rules';
import { approximateMs, sayDuration } from '../time';
import { nameOfLanguage } from '../messages';
import { nearValues } from '../people';
import type { Offers } from '../offers';
import { eachStep, type FlowDocument, type Step } from './document';
import { BY_FLOWS, sayNumber, type AddTo, type Finding } from './finding';
import { lookAtLately, type Lately } from './lately';
import { planOf } from './plan';
import { armsOf, kindOfStep, languageOf, leavesAnswer, sayStep, type SendStep } from './steps';
import { eventUses, rulesOf } from './uses';
import { lookAtCodes, lookAtParcel, lookAtPaths } from './walked';

/** Steps that stand behind one which ends the run. */
function afterTheEnd(steps: readonly Step[]): Step[] {
  const last = steps.findIndex((step) => step.kind === 'end' || (step.kind === 'hand' && step.leaves));
  return [
    ...(last >= 0 ? steps.slice(last + 1) : []),
    ...steps.slice(0, last >= 0 ? last + 1 : undefined).flatMap((step) => armsOf(step).flatMap((arm) => afterTheEnd(arm.steps))),
  ];
}

/** Messages that have no version in a language in which another of the same flow has one. */
function lookAtLanguages(flow: FlowDocument, add: AddTo): void {
  const sends: SendStep[] = [];
  eachStep(flow.steps, (step) => void (step.kind === 'send' && !step.off && sends.push(step)));
  const languages = new Map(sends.map((step) => [step, new Set((step.versions ?? []).flatMap(({ when }) => languageOf(when) ?? []))]));
  for (const code of new Set([...languages.values()].flatMap((ones) => [...ones]))) {
    const having = sends.find((step) => languages.get(step)!.has(code))!;
    for (const step of sends)
      if (!languages.get(step)!.has(code))
        add(
          `no-version-in-${code}`,
          'warns',
          step.id,
          `“${step.name}” has no version in ${nameOfLanguage(code)}, and “${having.name}” has`,
          'Whoever reads that language gets one in theirs and one that is not: add a version, or accept it.',
        );
  }
}

/** What every message brings about by itself. */
const OURS_TO_SEND = new Set(['message.sent', 'message.delivered']);
/**
 * Checks a flow before it runs, in words with the place and the mend. What is on file is known on the server only: without
 * it, what rules name is taken to be there. `seen` are the types of events that have arrived, with how often; `lately` what
 * has happened.
 */
export function preflight(
  flow: FlowDocument,
  onFile: OnFile | null = null,
  seen: readonly { readonly value: string; readonly count: number }[] | null = null,
  lately: Lately | null = null,
  key = '',
  offers: Offers | null = null,
): Finding[] {
  const findings: Finding[] = [];
  const add = (code: string, level: Finding['level'], stepId: string | null, says: string, mend: string) =>
    findings.push({ code, level, stepId, says, mend });
  let sends = 0;
  let waited = 0;

  eachStep(flow.steps, (step) => {
    const kind = kindOfStep(step);
    kind.check?.(step, (code, level, says, mend) => add(code, level, step.id, says, mend), flow);
    waited += kind.span?.(step).least ?? 0;
    if (step.kind === 'send') sends += 1;
  });

  eachStep(flow.steps, (step) => {
    for (const { kind, key: named } of kindOfStep(step).names?.(step) ?? [])
      if (onFile && !onFile[kind].has(named))
        add(
          'not-on-file',
          'stops',
          step.id,
          `${sayStep(step)}: the ${kind} ${named} is not on file`,
          'Choose another, or take the step out.',
        );
  });

  lookAtLanguages(flow, add);
  for (const unreached of afterTheEnd(flow.steps))
    add(
      'never-reached',
      'warns',
      unreached.id,
      `${sayStep(unreached)} is never reached`,
      'What stands before it ends the run; move it, or take it out.',
    );
  if (flow.control && !flow.goal)
    add(
      'control-without-goal',
      'warns',
      null,
      'There is a control group, but no goal to hold it against',
      'Set a goal, such as an order, so that both groups are counted by it.',
    );
  for (const type of new Set(eventUses(flow).flatMap((use) => (BY_FLOWS.test(use.type) ? [] : [use.type])))) {
    if (!seen || seen.some(({ value }) => value === type)) continue;
    const near = nearValues(type, seen, null, 3).map(({ value, count }) => `${value} (${sayNumber(count)})`);
    add(
      'event-unknown',
      'warns',
      null,
      `The flow looks at ${type}, and no such event has arrived yet`,
      near.length ? `Is one of these meant: ${near.join(', ')}?` : 'Check how the shop or app calls it, under Data, Event catalogue.',
    );
  }

  for (const { stepId, where, rule } of rulesOf(flow)) {
    for (const test of testsOf(rule)) {
      const named = namedBy(test);
      if (named && onFile && !onFile[named.kind].has(named.key))
        add(
          'not-on-file',
          'stops',
          stepId,
          `A condition (${where}) asks for the ${named.kind} ${named.key}, which is not on file`,
          'It would never hold. Choose another, or take the condition out.',
        );
      if (test.test !== 'answer') continue;
      const step = planOf(flow).steps.get(test.step);
      if (step && leavesAnswer(step)) continue;
      add(
        'no-such-answer',
        'stops',
        stepId,
        'A condition asks for an answer that no step waits for',
        `There is no wait for an event with the id ${test.step}; add it, or change the condition.`,
      );
    }
  }
  for (const { event, where } of flow.triggers) {
    const named = where?.find((one) => one.property === 'flow' && !('any' in one) && (one.op === 'is' || one.op === 'oneOf'));
    if (sends && OURS_TO_SEND.has(event) && !named)
      add(
        'starts-itself',
        'stops',
        null,
        `Every message would start the flow, its own too: it begins with ${event}`,
        'Ask the trigger for the flow whose messages are meant, so that it does not begin itself without end.',
      );
  }
  for (const trigger of flow.triggers)
    if (trigger.kind === 'silence' && trigger.unless?.event === trigger.event)
      add(
        'cancels-itself',
        'stops',
        null,
        `The inactivity trigger never fires: ${trigger.event} both starts it and cancels it`,
        'Choose another event that cancels it, or none.',
      );
  if (!sends) add('sends-nothing', 'warns', null, 'The flow sends nothing', 'Add a message.');
  if (flow.as !== 'broadcast' && !flow.stay && !flow.goal?.ends)
    add(
      'no-way-out',
      'warns',
      null,
      'Nobody leaves early: there is no stay rule, and no goal that ends the run',
      'People would go on getting messages after they have bought.',
    );
  if (flow.goal && waited > approximateMs(flow.goal.within))
    add(
      'goal-window',
      'warns',
      null,
      `The goal's window of ${sayDuration(flow.goal.within)} is shorter than the flow`,
      'Orders after the last message would not count; lengthen the window.',
    );
  lookAtPaths(flow, add);
  lookAtCodes(flow, offers, add);
  lookAtParcel(flow, add);
  if (lately) lookAtLately(flow, lately, key, add);
  return weighed(flow, findings);
}

/** Findings with what the flow accepts of them and why; what stops first, what is accepted last. */
export function weighed(flow: Pick<FlowDocument, 'accepted'>, findings: readonly Finding[]): Finding[] {
  const accepted = new Map((flow.accepted ?? []).map(({ code, step, reason }) => [`${code} ${step ?? ''}`, reason]));
  return findings
    .map((finding) => {
      const reason = finding.level === 'warns' ? accepted.get(`${finding.code} ${finding.stepId ?? ''}`) : undefined;
      return reason === undefined ? finding : { ...finding, accepted: reason };
    })
    .sort((a, b) => rankOf(a) - rankOf(b));
}
const rankOf = ({ level, accepted }: Finding): number => (level === 'stops' ? 0 : accepted === undefined ? 1 : 2);
