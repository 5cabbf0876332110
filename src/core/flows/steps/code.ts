import * as z from 'zod';
import { CODE_ISSUED, expiryOf, guardRules, isOver, offerKey, type Offer } from '../../offers';
import type { Answers } from '../../rules';
import type { Instant } from '../../time';
import { lotOf } from '../../stats';
import type { Arm } from '../document';
import { name, stepId } from '../parts';
import { askingArms } from './asked';
import type { Here, StepKind } from './kind';
import type { Withheld } from '../run';
import { hopsOf, MOST_HOPS } from './record';

/** Issues a code of an offer of the store to the person, unless its guard keeps it from them; with arms for the two. */
export interface CodeStep {
  id: string;
  kind: 'code';
  name: string;
  /** the key of the offer */
  offer: string;
  /** two ways on: for those who have got one, and for all others */
  arms?: Arm[];
}
export const codeSchema = (arm: z.ZodType<Arm>) =>
  z.strictObject({
    id: stepId,
    kind: z.literal('code'),
    name,
    offer: offerKey,
    arms: z.array(arm).length(2, 'needs two arms: one for who gets a code, one for who does not').optional(),
  });

/** The code that a run has been issued last, as its steps know it; null where it has none. */
export interface CodeHeld {
  readonly step: string;
  readonly offer: string;
  readonly expiresAt: Instant | null;
}
export function codeHeld(answers: Answers): CodeHeld | null {
  let newest: (CodeHeld & { readonly at: Instant }) | null = null;
  for (const [step, { at, data }] of Object.entries(answers)) {
    if (data.issued !== true || typeof data.offer !== 'string') continue;
    if (!newest || at >= newest.at)
      newest = { step, at, offer: data.offer, expiresAt: typeof data.expires === 'string' ? Date.parse(data.expires) : null };
  }
  return newest;
}

/** The lot by which an offer is kept from some of those who would get it. */
export const heldOut = (offer: string, personId: string): number =>
  lotOf({ flow: `offer ${offer}`, personId, stepId: 'holdout', key: null });

/** What keeps an offer from somebody at this moment, or null where nothing does. */
export function withheldBecause(key: string, offer: Offer | undefined, here: Here): Withheld | null {
  if (!offer) return { why: 'gone' };
  if (isOver(offer, here.now, here.zone)) return { why: 'over' };
  if (here.codesLeft(key) <= 0) return { why: 'spent' };
  if (offer.who) {
    const seen = here.look(offer.who);
    if (!seen.holds) return { why: 'who', seen };
  }
  for (const { why, rule } of guardRules(key, offer.guard, here.flow)) {
    const seen = here.look(rule);
    if (seen.holds) return { why, seen };
  }
  if (offer.guard.shared && here.facts.sharers?.includes(key)) return { why: 'shared' };
  // drawn last, of those who would get one; the same person draws the same for an offer in every flow
  return offer.holdout !== undefined && heldOut(key, here.facts.personId) < offer.holdout / 100 ? { why: 'lot' } : null;
}

export const codeKind: StepKind<CodeStep> = {
  actsOnce: true,
  run(step, here) {
    const offer = here.offers.get(step.offer);
    const withheld = here.dropsDue
      ? ({ why: 'dropped' } as const)
      : hopsOf(here.about.data) > MOST_HOPS
        ? ({ why: 'hops' } as const)
        : withheldBecause(step.offer, offer, here);
    if (withheld || !offer) {
      here.note('withheld', { saw: { withheld: withheld ?? { why: 'gone' }, of: step.offer } });
      here.answer({ at: here.now, data: { issued: false, offer: step.offer } });
    } else {
      const expiresAt = expiryOf(offer, here.now, here.zone);
      const expires = expiresAt === null ? null : new Date(expiresAt).toISOString();
      here.do({ kind: 'code', offer: step.offer, expiresAt, flow: here.flow, hops: hopsOf(here.about.data) });
      here.note('issued', { saw: { offer: step.offer, expires: expiresAt } });
      here.answer({ at: here.now, data: { issued: true, offer: step.offer, expires } });
    }
    const arm = step.arms?.[withheld || !offer ? 1 : 0];
    return arm ? { to: 'arm', arm } : { to: 'next' };
  },
  fresh: (id) => ({ id, kind: 'code', name: 'A code for them', offer: 'offer' }),
  says: (step) => `Issue code “${step.name}”`,
  saysNext: (step) => `Issue code “${step.name}”`,
  ...askingArms,
  withArms: (step, arms) => (step.arms ? { ...step, arms: [...arms] } : step),
  names: (step) => [{ kind: 'offer', key: step.offer }],
  check(step, add, flow) {
    if (flow.triggers.some(({ event }) => event === CODE_ISSUED))
      add(
        'starts-itself',
        'stops',
        `“${step.name}” starts this flow again`,
        `It issues a code, and ${CODE_ISSUED} is a trigger of this very flow; start it by something else.`,
      );
  },
  differs: (was, is) => [
    ...(is.name === was.name ? [] : [`“${was.name}” is now called “${is.name}”`]),
    ...(is.offer === was.offer ? [] : [`“${is.name}” issues codes of ${is.offer} instead of ${was.offer}`]),
  ],
};
