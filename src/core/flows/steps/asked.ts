import * as z from 'zod';
import { eventsOf, matches, type FactEvent, type WhereTest } from '../../rules';
import { addDuration, approximateMs } from '../../time';
import type { Arm } from '../document';
import { positiveDuration } from '../parts';
import type { Answer, Deed } from '../run';
import type { Awaited, Here, Span, Went } from './kind';

/** What a step that asks somebody outside has: how long it waits for the answer, and two ways on, for the answer and for its absence. */
export interface Asking {
  within: string;
  arms?: Arm[];
}
export const askingShape = (arm: z.ZodType<Arm>) => ({
  within: positiveDuration,
  arms: z.array(arm).length(2, 'needs two arms: one for what came, one for when it did not').optional(),
});

/** What tells the answer that one run waits for from all others: the flow, the step, and what the run is about. */
export const boundTo = (stepId: string, of: { readonly flow: string; readonly key: string }) => ({
  flow: of.flow,
  step: stepId,
  about: of.key,
});

/** The same as what is asked of an answer, which bears it. */
const askedOf = (stepId: string, of: { readonly flow: string; readonly key: string }): WhereTest[] =>
  Object.entries(boundTo(stepId, of)).map(([property, value]) => ({ property, op: 'is', value }));

export const awaitedOf = (event: string, stepId: string, of: { readonly flow: string; readonly key: string }): Awaited => ({
  event,
  where: askedOf(stepId, of),
  isOwn: true,
});

/**
 * Asks once, then stands until the answer is told as an event, or time runs out. `read` tells whether an answer is good, and what
 * of it later steps can look at.
 */
export function askAndWait(
  step: Asking & { readonly id: string },
  here: Here,
  {
    event,
    deed,
    read,
  }: { event: string; deed: Deed; read: (event: FactEvent) => { isGood: boolean; because?: string; data: Answer['data'] } },
): Went {
  const way = (index: 0 | 1): Went => {
    const arm = step.arms?.[index];
    return arm ? { to: 'arm', arm, stands: here.now } : { to: 'next', stands: here.now };
  };
  if (here.waitUntil === null) {
    here.do(deed);
    here.note('asked');
    return { to: 'wait', until: addDuration(here.now, step.within, here.zone), on: [event] };
  }
  const over = here.waitUntil;
  const where = askedOf(step.id, { flow: here.flow, key: here.about.key });
  const came = eventsOf(here.facts, event).find(
    (one) => one.time > (here.waitFrom ?? 0) && one.time < over && one.time <= here.now && matches(one, where),
  );
  if (came) {
    const { isGood, because, data } = read(came);
    here.answer({ at: came.time, data });
    here.note(isGood ? 'answered' : 'unanswered', { saw: isGood ? { came: came.time } : { failed: because ?? '' } });
    return way(isGood ? 0 : 1);
  }
  if (over > here.now) return { to: 'wait', until: over, on: [event] };
  here.note('unanswered');
  return way(1);
}

export const askingSpan = (step: Asking): Span => ({ least: 0, most: approximateMs(step.within) });

export const askingArms = {
  arms: (step: Pick<Asking, 'arms'>): readonly Arm[] => step.arms ?? [],
  problems: (step: Pick<Asking, 'arms'>) =>
    (step.arms ?? []).flatMap(({ when, share }, index) => [
      ...(when === null ? [] : [{ path: ['arms', index, 'when'], message: 'the arms go by what comes, so it must be null' }]),
      ...(share === undefined ? [] : [{ path: ['arms', index, 'share'], message: 'only the arms of a test have shares' }]),
    ]),
};
