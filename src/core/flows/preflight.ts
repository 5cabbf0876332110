import { namedBy, testsOf, type OnFile, type PropertyTest } from '../rules';
import { approximateMs, DAY, sayDuration, sayElapsed } from '../time';
import { nearValues } from '../people';
import { blocksOf, namesCode } from '../messages';
import { safeUrl } from '../text';
import type { Offers } from '../offers';
import { eachStep, type FlowDocument, type Step } from './document';
import { planOf } from './plan';
import { armsOf, kindOfStep, sayStep } from './steps';
import { eventUses, rulesOf } from './uses';

/** Something to mend before publishing (`stops`) or to think about (`warns`), with its place. */
export interface Finding {
  /** what kind of finding it is: with the step its name, by which it can be accepted and mended */
  readonly code: string;
  readonly level: 'stops' | 'warns';
  /** the step, or null for the flow as a whole */
  readonly stepId: string | null;
  readonly says: string;
  readonly mend: string;
  /** why somebody has accepted it */
  readonly accepted?: string;
}

/** What has happened in the last days, as far as it tells something of a flow. */
export interface Lately {
  readonly days: number;
  /** how many took each arm of the version that is on, and how many decided there */
  readonly arms: readonly { readonly step: string; readonly arm: string; readonly people: number }[];
  /** flows that are on, with what starts them, to which they hand over, and how many people went into both */
  readonly others: readonly {
    readonly key: string;
    readonly name: string;
    readonly events: readonly string[];
    readonly handsTo: readonly string[];
    readonly both: number;
  }[];
  /** of those who did what starts the flow, how many can be sent marketing by email now */
  readonly reach: { readonly people: number; readonly canBeEmailed: number } | null;
  /** what was to go out, and how much of it limits have kept from going out */
  readonly limited: { readonly messages: number; readonly swallowed: number } | null;
  /** properties that events of a type have borne; with all values, where there are few */
  readonly properties: readonly {
    readonly type: string;
    readonly property: string;
    readonly values: readonly { readonly value: string; readonly count: number }[] | null;
  }[];
  /** open forms that were made after the version that is on */
  readonly newForms: readonly { readonly key: string; readonly name: string }[];
}

/** What flows themselves and the program bring about: it need not have happened yet. */
const BY_FLOWS = /^((attribute|call|code|flow|list|message|segment|task)\.|product\.(restocked|repriced)$)/;

/** Steps that stand behind one which ends the run. */
function afterTheEnd(steps: readonly Step[]): Step[] {
  const last = steps.findIndex((step) => step.kind === 'end' || (step.kind === 'hand' && step.leaves));
  return [
    ...(last >= 0 ? steps.slice(last + 1) : []),
    ...steps.slice(0, last >= 0 ? last + 1 : undefined).flatMap((step) => armsOf(step).flatMap((arm) => afterTheEnd(arm.steps))),
  ];
}

/** What every message brings about by itself. */
const OURS_TO_SEND = new Set(['message.sent', 'message.delivered']);
/** From how many on what people did tells something. */
const ENOUGH = 20;

const sayNumber = (n: number) => n.toLocaleString('en-IE');

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
      if (step && kindOfStep(step).awaits?.(step, { flow: '', key: '' })) continue;
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
  if (!sends) add('sends-nothing', 'warns', null, 'The flow sends nothing', 'Add a message.');
  if (!flow.stay && !flow.goal?.ends)
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
  if (lately) lookAtLately(flow, lately, key, add);
  const accepted = new Map((flow.accepted ?? []).map(({ code, step, reason }) => [`${code} ${step ?? ''}`, reason]));
  return findings
    .map((finding) => {
      const reason = finding.level === 'warns' ? accepted.get(`${finding.code} ${finding.stepId ?? ''}`) : undefined;
      return reason === undefined ? finding : { ...finding, accepted: reason };
    })
    .sort((a, b) => rankOf(a) - rankOf(b));
}
const rankOf = ({ level, accepted }: Finding): number => (level === 'stops' ? 0 : accepted === undefined ? 1 : 2);

type AddTo = (code: string, level: Finding['level'], stepId: string | null, says: string, mend: string) => void;

/** What is wrong with a flow as people walk it. */
function lookAtPaths(flow: FlowDocument, add: AddTo): void {
  const offers: Step[] = [];
  const links: { step: Step; label: string }[] = [];
  eachStep(flow.steps, (step) => {
    if (step.kind !== 'send' || step.off) return;
    for (const block of blocksOf(step.message)) {
      if (block.kind === 'offer') offers.push(step);
      if (block.kind === 'button' && !block.url.includes('{{') && !safeUrl(block.url.trim())) links.push({ step, label: block.label });
    }
  });
  for (const { step, label } of links)
    add(
      'link-leads-nowhere',
      'stops',
      step.id,
      `The button “${label}” of ${sayStep(step)} leads nowhere`,
      'Write an address that begins with https://; without one the button is left out of the message.',
    );
  if (offers.length > 1 && everyPath(flow.steps, (step) => offers.includes(step)))
    add(
      'offer-on-every-path',
      'warns',
      null,
      'Whichever way people go, they get an offer',
      'Those who would buy anyway are given it too; leave one way without it, or ask by a condition who needs it.',
    );
  const twice = offers.find(
    (step, index) => offers.indexOf(step) === index && reaches(flow.steps, step, (one) => one !== step && offers.includes(one)),
  );
  if (twice)
    add(
      'two-offers',
      'warns',
      twice.id,
      `After the offer in ${sayStep(twice)} the same person can get another`,
      'Two discounts add up; make the second a reminder of the first, or leave it out.',
    );
  // a first wait that is out of proportion to what started the flow
  const [first] = flow.steps;
  const isCart = flow.triggers.some(({ event }) => /^(cart|checkout)\./.test(event));
  if (isCart && first?.kind === 'wait' && first.for && !first.until && approximateMs(first.for) >= 7 * DAY)
    add(
      'wait-out-of-proportion',
      'warns',
      first.id,
      `The first message comes ${sayDuration(first.for)} after a cart was left`,
      'A cart is forgotten in a day or two; was a shorter time meant?',
    );
}

/** What is said of codes that are not there, or not any more, and codes that nobody is told of. */
function lookAtCodes(flow: FlowDocument, offers: Offers | null, add: AddTo): void {
  const told = new Set<string>();
  /** walks a sequence with the codes that may be held, and how long ago at least each was issued; answers with those at its end */
  const walk = (steps: readonly Step[], given: ReadonlyMap<string, number>): Map<string, number> => {
    let held = new Map(given);
    for (const step of steps) {
      if (step.kind === 'send' && !step.off && namesCode(step.message)) {
        if (!held.size)
          add(
            'no-code-before',
            'stops',
            step.id,
            `${sayStep(step)} tells of a code, and none is issued before it`,
            'Put the step “Discount code” in front of it, or take the words out: they are left out of the message.',
          );
        for (const [id, ago] of held) {
          told.add(id);
          const issuer = planOf(flow).steps.get(id);
          const offer = issuer?.kind === 'code' ? offers?.get(issuer.offer) : undefined;
          if (
            offer?.expires &&
            'after' in offer.expires &&
            ago >= approximateMs(offer.expires.after) + (offer.expires.after.includes('T') ? 0 : DAY)
          )
            add(
              'code-over-before',
              'warns',
              step.id,
              `${sayStep(step)} comes when its code is over: it counts for ${sayDuration(offer.expires.after)}, and the message ${sayElapsed(ago)} later at least`,
              'Send it sooner, or let codes of the offer count for longer; as it is, nobody gets it.',
            );
        }
      }
      const arms = armsOf(step);
      const least = kindOfStep(step).span?.(step).least ?? 0;
      if (!arms.length) {
        if (step.kind === 'code') held = new Map([[step.id, 0]]);
        else if (least) held = new Map([...held].map(([id, ago]) => [id, ago + least]));
        continue;
      }
      const after = new Map<string, number>();
      arms.forEach((arm, index) => {
        const into = step.kind === 'code' ? (index === 0 ? new Map([[step.id, 0]]) : held) : held;
        for (const [id, ago] of walk(arm.steps, into)) after.set(id, Math.min(ago + least, after.get(id) ?? Infinity));
      });
      held = after;
    }
    return held;
  };
  walk(flow.steps, new Map());
  eachStep(flow.steps, (step) => {
    if (step.kind !== 'code') return;
    if (!told.has(step.id))
      add(
        'code-not-told',
        'warns',
        step.id,
        `${sayStep(step)}: nobody is told of the code`,
        'Write {{ offer.code }} into a message behind it, in a text or a button.',
      );
    const offer = offers?.get(step.offer);
    if (offer && flow.triggers.some(({ event }) => event === 'cart.updated') && !Object.keys(offer.guard).length)
      add(
        'offer-unguarded',
        'warns',
        step.id,
        `${sayStep(step)}: whoever leaves a cart gets a code, each time`,
        'Shoppers learn to leave carts on purpose; give the offer a guard, such as a time between two codes.',
      );
  });
}

/** Whether every way through some steps meets one that is asked for. */
function everyPath(steps: readonly Step[], is: (step: Step) => boolean): boolean {
  return steps.some((step) => is(step) || (armsOf(step).length > 0 && armsOf(step).every((arm) => everyPath(arm.steps, is))));
}

/** Whether somebody who was at a step can come by one that is asked for afterwards. */
function reaches(steps: readonly Step[], from: Step, is: (step: Step) => boolean): boolean {
  const any = (list: readonly Step[]): boolean => list.some((step) => is(step) || armsOf(step).some((arm) => any(arm.steps)));
  return steps.some((step, index) => {
    const rest = steps.slice(index + 1);
    if (step === from) return any(rest);
    return armsOf(step).some((arm) => has(arm.steps, from) && (reaches(arm.steps, from, is) || any(rest)));
  });
}
const has = (steps: readonly Step[], wanted: Step): boolean =>
  steps.some((step) => step === wanted || armsOf(step).some((arm) => has(arm.steps, wanted)));

/** Which of some forms a flow passes over that is started by certain forms, each of which it names. */
function notHeard(flow: FlowDocument, forms: Lately['newForms']): Lately['newForms'] {
  const named: string[] = [];
  for (const trigger of flow.triggers) {
    if (trigger.kind !== 'event' || trigger.event !== 'form.submitted') continue;
    const asks = trigger.where?.find((one) => one.property === 'formId');
    if (!asks || 'any' in asks || (asks.op !== 'is' && asks.op !== 'oneOf')) return [];
    named.push(...[asks.value].flat().map(String));
  }
  return named.length ? forms.filter(({ key }) => !named.includes(key)) : [];
}

/** What the last days tell of a flow. */
function lookAtLately(flow: FlowDocument, lately: Lately, key: string, add: AddTo): void {
  const days = `in the last ${lately.days} days`;
  const steps = planOf(flow).steps;
  for (const step of steps.values()) {
    const arms = armsOf(step);
    const counts = lately.arms.filter((one) => one.step === step.id);
    const decided = counts.reduce((sum, { people }) => sum + people, 0);
    if (decided < ENOUGH) continue;
    for (const arm of arms)
      if (!counts.some((one) => one.arm === arm.id && one.people))
        add(
          'arm-not-taken',
          'warns',
          step.id,
          `Nobody took “${arm.name}” ${days}, of ${sayNumber(decided)} who came by`,
          'Is its condition right? If nobody belongs there, take the arm out.',
        );
  }
  for (const { name } of notHeard(flow, lately.newForms))
    add(
      'form-not-heard',
      'warns',
      null,
      `The form “${name}” was made after this flow was last published, and does not start it`,
      'Add it to the forms that the trigger asks for, or let every form start the flow.',
    );
  const own = new Set(flow.triggers.map(({ event }) => event).filter((event) => event !== 'flow.due'));
  for (const other of lately.others) {
    const shared = other.events.find((event) => own.has(event));
    if (shared && other.both)
      add(
        'overlaps',
        'warns',
        null,
        `“${other.name}” starts with ${shared} too: ${sayNumber(other.both)} people went into both ${days}`,
        'Say by the entry rules who is whose, or give one of them the higher priority.',
      );
  }
  const loop = loopOf(flow, key, lately.others);
  if (loop)
    add(
      'hands-in-a-circle',
      'warns',
      null,
      `People are handed over in a circle: ${loop.join(' → ')}`,
      'It ends after ten times, but somebody would go through it again and again; let one of the flows end.',
    );
  if (lately.reach && lately.reach.people >= ENOUGH && lately.reach.canBeEmailed < lately.reach.people / 5 && hasMarketing(steps.values()))
    add(
      'few-can-be-reached',
      'warns',
      null,
      `Of ${sayNumber(lately.reach.people)} people who did what starts it ${days}, ${sayNumber(lately.reach.canBeEmailed)} can be sent marketing by email`,
      'Ask for consent before, or see whether this is a service message.',
    );
  if (lately.limited && lately.limited.messages >= ENOUGH && lately.limited.swallowed > lately.limited.messages / 10)
    add(
      'limits-swallow',
      'warns',
      null,
      `Limits kept ${sayNumber(lately.limited.swallowed)} of ${sayNumber(lately.limited.messages)} messages of this flow from going out ${days}`,
      'Give the flow a higher priority, let others send less, or widen the limits under Settings.',
    );
  const known = new Map(lately.properties.map((one) => [`${one.type} ${one.property}`, one]));
  const types = new Set(lately.properties.map(({ type }) => type));
  const told = new Set<string>();
  for (const { type, where, asks } of eventUses(flow)) {
    if (!types.has(type) || BY_FLOWS.test(type)) continue;
    for (const asked of asks) {
      const property = asked.property.split('.')[0]!;
      const of = known.get(`${type} ${property}`);
      const id = JSON.stringify([type, asked]);
      if (told.has(id)) continue;
      told.add(id);
      if (!of) {
        const near = nearValues(
          property,
          lately.properties.filter((one) => one.type === type).map((one) => ({ value: one.property, count: 1 })),
          null,
          3,
        ).map(({ value }) => value);
        add(
          'property-unknown',
          'warns',
          null,
          `A condition (${where}) asks ${type} for ${property}, which it has never borne`,
          near.length ? `Is one of these meant: ${near.join(', ')}?` : 'Check its properties under Data, Event catalogue.',
        );
      } else if (!('any' in asked) && !asked.property.includes('.') && of.values) lookAtValues(asked, type, where, of.values, add);
    }
  }
}

/** Values that are asked for and have never occurred, where all that have are known. */
function lookAtValues(
  asked: PropertyTest,
  type: string,
  where: string,
  values: readonly { readonly value: string; readonly count: number }[],
  add: AddTo,
): void {
  const wanted = asked.op === 'is' ? [asked.value] : asked.op === 'oneOf' && Array.isArray(asked.value) ? asked.value : [];
  for (const value of wanted) {
    if (typeof value !== 'string' || values.some((one) => one.value === value)) continue;
    const near = nearValues(value, values, null, 3).map((one) => `${one.value} (${sayNumber(one.count)})`);
    add(
      'value-unknown',
      'warns',
      null,
      `A condition (${where}) asks whether ${asked.property} of ${type} is “${value}”, which has never occurred`,
      near.length
        ? `Is one of these meant: ${near.join(', ')}?`
        : `It has been ${values
            .slice(0, 3)
            .map((one) => `“${one.value}”`)
            .join(', ')}.`,
    );
  }
}

const hasMarketing = (steps: Iterable<Step>): boolean =>
  [...steps].some((step) => step.kind === 'send' && step.message.kind === 'marketing' && step.message.channel === 'email');

/** To which flows a flow hands people over. */
export function handsTo({ goal, steps }: Pick<FlowDocument, 'goal' | 'steps'>): string[] {
  const to = new Set<string>(goal?.handTo ? [goal.handTo] : []);
  eachStep(steps, (step) => {
    if (step.kind === 'hand') to.add(step.flow);
  });
  return [...to];
}

/** The way on which handing over leads back to this flow, by keys; null where there is none. */
function loopOf(flow: FlowDocument, key: string, others: Lately['others']): string[] | null {
  const next = new Map(others.map((one) => [one.key, one.handsTo]));
  const seen = new Set<string>();
  const walk = (at: string, way: readonly string[]): string[] | null => {
    if (at === key) return [...way, at];
    if (seen.has(at)) return null;
    seen.add(at);
    for (const to of next.get(at) ?? []) {
      const found = walk(to, [...way, at]);
      if (found) return found;
    }
    return null;
  };
  for (const to of handsTo(flow)) {
    const found = walk(to, [key]);
    if (found) return found;
  }
  return null;
}
