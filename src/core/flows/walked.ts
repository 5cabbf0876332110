import { approximateMs, DAY, sayDuration, sayElapsed } from '../time';
import { blocksOf, everyBlock, namesCode, textsOf } from '../messages';
import type { Offers } from '../offers';
import { eachStep, type FlowDocument, type Step } from './document';
import type { AddTo } from './finding';
import { planOf } from './plan';
import { armsOf, formsOf, kindOfStep, sayStep } from './steps';

/** What is wrong with a flow as people walk it. */
export function lookAtPaths(flow: FlowDocument, add: AddTo): void {
  const offers: Step[] = [];
  eachStep(flow.steps, (step) => {
    if (step.kind !== 'send' || step.off) return;
    for (const block of formsOf(step).flatMap(({ message }) => everyBlock(blocksOf(message)))) {
      if (block.kind === 'offer' && !offers.includes(step)) offers.push(step);
    }
  });
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
export function lookAtCodes(flow: FlowDocument, offers: Offers | null, add: AddTo): void {
  const told = new Set<string>();
  /** walks a sequence with the codes that may be held, and how long ago at least each was issued; answers with those at its end */
  const walk = (steps: readonly Step[], given: ReadonlyMap<string, number>): Map<string, number> => {
    let held = new Map(given);
    for (const step of steps) {
      if (step.kind === 'send' && !step.off && formsOf(step).some(({ message }) => namesCode(message))) {
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

/** Words that ask how something is liked which has to be there for that. */
const ASKS_HOW_IT_IS = new RegExp(
  [
    'how (do|did|are) you (like|enjoy|get(ting)? on)',
    '(are|is) you(r)? .{0,40}(happy|settled)',
    '(leave|write) a review',
    'your review',
    'rate (it|them|your)',
    'what do you think of (it|them|your)',
  ]
    .map((words) => `\\b${words}`)
    .join('|'),
  'i',
);
/** A parcel at home is there after so long, mostly (common practice: a review is asked for a week after that). */
const MOSTLY_THERE = 5 * DAY;

/** Messages that take the parcel to be there before it can be: after an order, without waiting for it. */
export function lookAtParcel(flow: FlowDocument, add: AddTo): void {
  if (!flow.triggers.some(({ event }) => event === 'order.placed' || event === 'order.paid')) return;
  /** walks a sequence; answers how long after the order at least its end is, or null where the parcel has been waited for */
  const walk = (steps: readonly Step[], from: number | null): number | null => {
    let ago = from;
    for (const step of steps) {
      const isWaited =
        step.kind === 'wait' &&
        (step.parcel?.is === 'delivered' || (step.until !== undefined && 'event' in step.until && step.until.event === 'order.delivered'));
      if (
        step.kind === 'send' &&
        !step.off &&
        ago !== null &&
        ago < MOSTLY_THERE &&
        formsOf(step).some(({ message }) => textsOf(message).some((text) => ASKS_HOW_IT_IS.test(text)))
      )
        add(
          'parcel-not-there',
          'warns',
          step.id,
          `${sayStep(step)} asks how they like it, ${ago ? `${sayElapsed(ago)} after the order at the earliest` : 'at once after the order'}`,
          'The parcel may not be there yet, and abroad it takes longer; wait until the order is delivered before it.',
        );
      const arms = armsOf(step);
      const least = kindOfStep(step).span?.(step).least ?? 0;
      if (arms.length) {
        const ends = arms.map((arm) => walk(arm.steps, isWaited ? null : ago === null ? null : ago + least));
        const open = ends.filter((end) => end !== null);
        ago = open.length ? Math.min(...open) : null;
      } else if (isWaited) ago = null;
      else if (ago !== null) ago += least;
    }
    return ago;
  };
  walk(flow.steps, 0);
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
