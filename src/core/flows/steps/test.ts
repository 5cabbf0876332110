import * as z from 'zod';
import type { Arm } from '../document';
import { FEWEST } from '../../revenue';
import { drawnShare } from '../../stats';
import { addDuration, DAY, sayDuration } from '../../time';
import { name, positiveDuration, stepId } from '../parts';
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
  /** tried on a part of the people first; the others stand here until it is known which arm does best, and take that */
  trial?: Trial;
  /** which arm the others take, and everybody from then on: as it was found, or as somebody chose it */
  won?: { arm: string; at: string };
}

/** How a test is tried on a part first. */
export interface Trial {
  /** how many of a hundred take the arms by lot */
  share: number;
  /** how long it is tried, from when the last of them took theirs */
  lasts: string;
  /** what counts: that a message of the arm was opened, that a link in it was followed, or that the goal was reached */
  by: 'opened' | 'clicked' | 'goal';
  /** where no arm is surely better: somebody is asked, or the arm with the highest share goes to the others */
  unsure: 'ask' | 'highest';
}

/** For how many days the others stand at a trial that nobody decides. */
const TRIAL_PATIENCE_DAYS = 30;

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
    trial: z
      .strictObject({
        share: z.int().min(1).max(90),
        lasts: positiveDuration,
        by: z.enum(['opened', 'clicked', 'goal']),
        unsure: z.enum(['ask', 'highest']),
      })
      .optional(),
    won: z.strictObject({ arm: stepId, at: z.iso.datetime() }).optional(),
  });

/** How many of a hundred take an arm, as a whole number of per cent where it is one: "50 %". */
export function sayShares(arms: readonly Pick<Arm, 'share'>[], arm: Pick<Arm, 'share'>): string {
  const total = arms.reduce((sum, { share }) => sum + (share ?? 0), 0);
  return total ? `${Math.round((1000 * (arm.share ?? 0)) / total) / 10} %` : '0 %';
}

const TRIED_BY: { readonly [by in Trial['by']]: string } = { opened: 'is opened', clicked: 'is clicked', goal: 'leads to the goal' };

/** How a test is tried on a part, in words after "is tried". */
export const sayTrial = ({ share, lasts, by }: Trial): string =>
  `on ${share} % of the people for ${sayDuration(lasts)}; the others get the one that ${TRIED_BY[by]} most`;

/** Sends people into one of its arms by lot, each always into the same. */
export const testKind: StepKind<TestStep> = {
  run(step, here) {
    const lots = here.lot(step.per === 'key' ? here.about.key : null);
    const part = step.trial ? step.trial.share / 100 : 1;
    const wonAt = step.won ? Date.parse(step.won.at) : Infinity;
    if (step.trial && (lots >= part || (here.waitUntil === null && here.stands >= wonAt))) {
      const arm = step.won && here.now >= wonAt ? step.arms.find(({ id }) => id === step.won!.arm) : undefined;
      if (arm) {
        here.note('drawn', { saw: { won: arm.id } });
        return { to: 'arm', arm, stands: here.now };
      }
      // where it is on file already when it was decided, as in a replay, that is waited for
      const until =
        wonAt > here.now && wonAt < Infinity ? wonAt : (here.waitUntil ?? addDuration(here.stands, step.trial.lasts, here.zone));
      if (here.waitUntil === null) here.note('waiting', { saw: { trial: true } });
      if (until > here.now) return { to: 'wait', until };
      // nobody has decided yet: it waits on, but not for ever
      const last = (here.waitFrom ?? here.stands) + TRIAL_PATIENCE_DAYS * DAY;
      if (last > here.now) return { to: 'wait', until: last };
      return { to: 'end' };
    }
    const lot = lots / part;
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
  problems: ({ arms, trial, decide, won }) => [
    ...arms.flatMap(({ when, share }, index) => [
      ...(when === null ? [] : [{ path: ['arms', index, 'when'], message: 'arms of a test are drawn by lot, so it must be null' }]),
      ...(share === undefined ? [{ path: ['arms', index, 'share'], message: 'needs a share: a whole number from 0 to 1000' }] : []),
    ]),
    ...(arms.some(({ share }) => share !== 0) ? [] : [{ path: ['arms'], message: 'needs an arm whose share is above 0' }]),
    ...(trial && decide ? [{ path: ['trial'], message: 'decides in another way than "decide": one of them' }] : []),
    ...(won && !arms.some(({ id }) => id === won.arm) ? [{ path: ['won', 'arm'], message: 'is no arm of this test' }] : []),
  ],
  check(step, add, flow) {
    if (step.decide && !flow.goal)
      add(
        'decides-without-goal',
        'stops',
        `“${step.name}” is to decide by itself, but the flow has no goal to decide by`,
        'Set a goal, such as an order, or end the test by hand.',
      );
    if (step.trial?.by === 'goal' && !flow.goal)
      add(
        'tries-without-goal',
        'stops',
        `“${step.name}” is to be decided by the goal, but the flow has none`,
        'Set a goal, such as an order, or decide by who opens or clicks.',
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
    ...(JSON.stringify(is.trial) === JSON.stringify(was.trial)
      ? []
      : [is.trial ? `“${is.name}” is tried ${sayTrial(is.trial)}` : `“${is.name}” is not tried on a part first any more`]),
    ...(is.won?.arm === was.won?.arm
      ? []
      : [
          is.won
            ? `Of “${is.name}” all others get “${is.arms.find(({ id }) => id === is.won!.arm)?.name ?? is.won.arm}”`
            : `“${is.name}” is open again`,
        ]),
    ...(is.per === was.per ? [] : [`“${is.name}” draws ${is.per === 'person' ? 'once for a person' : 'anew for each cart or order'}`]),
    ...is.arms.flatMap((arm) => {
      const old = was.arms.find(({ id }) => id === arm.id);
      return old && old.share !== arm.share ? [`“${arm.name}” gets ${sayShares(is.arms, arm)} instead of ${sayShares(was.arms, old)}`] : [];
    }),
  ],
};
