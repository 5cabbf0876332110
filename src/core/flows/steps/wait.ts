import { z } from 'zod';
import { addDuration, approximateMs, DAY, sayDuration } from '../../time';
import { positiveDuration, stepId } from '../parts';
import type { StepKind } from './kind';

export interface WaitStep {
  id: string;
  kind: 'wait';
  for: string;
}
export const waitSchema = z.strictObject({ id: stepId, kind: z.literal('wait'), for: positiveDuration });

const MINUTE_MS = 60_000;

export const waitKind: StepKind<WaitStep> = {
  runsWhilePaused: true,
  run(step, here) {
    const until = here.waitUntil ?? addDuration(here.stands, step.for, here.zone);
    if (here.waitUntil === null) here.note('waiting');
    return until > here.now ? { to: 'wait', until } : { to: 'next', stands: until };
  },
  says: (step) => `Wait ${sayDuration(step.for)}`,
  saysNext: (step) => `Wait ${sayDuration(step.for)}`,
  span: (step) => ({ least: approximateMs(step.for), most: approximateMs(step.for) }),
  check(step, add) {
    const ms = approximateMs(step.for);
    if (ms < MINUTE_MS)
      add(
        'warns',
        `A wait of only ${sayDuration(step.for)}`,
        'Waits this short are usually left over from trying out; set it to what customers should get.',
      );
    if (ms > 60 * DAY) add('warns', `A wait of ${sayDuration(step.for)}`, 'Check the unit: was a shorter time meant?');
  },
  differs: (was, is) => (is.for === was.for ? [] : [`Wait: ${sayDuration(was.for)} becomes ${sayDuration(is.for)}`]),
};
