import * as z from 'zod';
import type { Arm } from '../document';
import { FEWEST } from '../../revenue';
import { drawnShare } from '../../stats';
import { name, stepId } from '../parts';
import type { StepKind } from './kind';

export interface TestStep {
  id: string;
  kind: 'test';
  name: string;
  /** who draws: a person once for all their runs, or each cart or order anew */
  per: 'person' | 'key';
  arms: Arm[];
  /** ends the test by itself, once so many people have taken each arm whose time for the goal is over; looked at once */
  decide?: { people: number };
}

/** With how many people an arm decides at least: with fewer nothing could be told. */
export const FEWEST_TO_DECIDE = FEWEST;
export const testSchema = (arm: z.ZodType<Arm>) =>
  z.strictObject({
    id: stepId,
    kind: z.literal('test'),
    name,
    per: z.enum(['person', 'key']),
    arms: z.array(arm).min(2, 'needs at least two arms').max(12),
    decide: z.strictObject({ people: z.int().min(FEWEST_TO_DECIDE).max(1_000_000) }).optional(),
  });

/** How many of a hundred take an arm, as a whole number of per cent where it is one: "50 %". */
export function sayShares(arms: readonly Pick<Arm, 'share'>[], arm: Pick<Arm, 'share'>): string {
  const total = arms.reduce((sum, { share }) => sum + (share ?? 0), 0);
  return total ? `${Math.round((1000 * (arm.share ?? 0)) / total) / 10} %` : '0 %';
}

/** Sends people into one of its arms by lot, each always into the same. */
export const testKind: StepKind<TestStep> = {
  run(step, here) {
    const lot = here.lot(step.per === 'key' ? here.about.key : null);
    const arm =
      step.arms[
        drawnShare(
          lot,
          step.arms.map(({ share }) => share ?? 0),
        )
      ]!;
    here.note('drawn', { armId: arm.id });
    return { to: 'arm', arm };
  },
  fresh: (id) => ({
    id,
    kind: 'test',
    name: 'New test',
    per: 'person',
    arms: [
      { id: `${id}-a`, name: 'One way', when: null, share: 50, steps: [] },
      { id: `${id}-b`, name: 'The other way', when: null, share: 50, steps: [] },
    ],
  }),
  says: (step) => `Test “${step.name}”`,
  saysNext: (step) => `Test “${step.name}”`,
  arms: (step) => step.arms,
  withArms: (step, arms) => ({ ...step, arms: [...arms] }),
  problems: ({ arms }) => [
    ...arms.flatMap(({ when, share }, index) => [
      ...(when === null ? [] : [{ path: ['arms', index, 'when'], message: 'arms of a test are drawn by lot, so it must be null' }]),
      ...(share === undefined ? [{ path: ['arms', index, 'share'], message: 'needs a share: a whole number from 0 to 1000' }] : []),
    ]),
    ...(arms.some(({ share }) => share !== 0) ? [] : [{ path: ['arms'], message: 'needs an arm whose share is above 0' }]),
  ],
  check(step, add, flow) {
    if (step.decide && !flow.goal)
      add(
        'decides-without-goal',
        'stops',
        `“${step.name}” is to decide by itself, but the flow has no goal to decide by`,
        'Set a goal, such as an order, or end the test by hand.',
      );
    for (const arm of step.arms)
      if (arm.share === 0) add('no-share', 'warns', `Nobody takes “${arm.name}”`, 'Its share is nothing; raise it, or remove the arm.');
  },
  differs: (was, is) => [
    ...(is.name === was.name ? [] : [`Test “${was.name}” is now called “${is.name}”`]),
    ...(is.decide?.people === was.decide?.people
      ? []
      : [
          is.decide
            ? `“${is.name}” decides by itself once ${is.decide.people} people have taken each arm`
            : `“${is.name}” is ended by hand`,
        ]),
    ...(is.per === was.per ? [] : [`“${is.name}” draws ${is.per === 'person' ? 'once for a person' : 'anew for each cart or order'}`]),
    ...is.arms.flatMap((arm) => {
      const old = was.arms.find(({ id }) => id === arm.id);
      return old && old.share !== arm.share ? [`“${arm.name}” gets ${sayShares(is.arms, arm)} instead of ${sayShares(was.arms, old)}`] : [];
    }),
  ],
};
