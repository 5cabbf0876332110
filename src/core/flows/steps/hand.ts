import { z } from 'zod';
import { FLOW_HANDED } from '../../rules';
import { flowKey, name, stepId } from '../parts';
import { hopsOf, MOST_HOPS } from './record';
import type { StepKind } from './kind';

/** Hands the person over to another flow, with all that started this one; then goes on, or leaves. */
export interface HandStep {
  id: string;
  kind: 'hand';
  name: string;
  /** the key of the flow */
  flow: string;
  leaves: boolean;
}
export const handSchema = z.strictObject({
  id: stepId,
  kind: z.literal('hand'),
  name,
  flow: flowKey,
  leaves: z.boolean(),
});

export const handKind: StepKind<HandStep> = {
  run(step, here) {
    const { data, key } = here.about;
    const hops = hopsOf(data);
    if (hops > MOST_HOPS) here.note('skipped', { saw: { hops: MOST_HOPS } });
    else {
      here.do({
        kind: 'event',
        type: FLOW_HANDED,
        properties: { ...data, to: step.flow, about: key || here.run, byFlow: here.flow, hops },
      });
      here.note('handed', { saw: { flow: step.flow } });
    }
    return { to: step.leaves ? 'end' : 'next' };
  },
  fresh: (id) => ({ id, kind: 'hand', name: 'To another flow', flow: 'welcome', leaves: true }),
  says: (step) => `Hand over “${step.name}”`,
  saysNext: (step) => `Hand over “${step.name}”`,
  looksAtStart: () => true,
  names: (step) => [{ kind: 'flow', key: step.flow }],
  differs: (was, is) => [
    ...(is.name === was.name ? [] : [`“${was.name}” is now called “${is.name}”`]),
    ...(is.flow === was.flow ? [] : [`“${is.name}” hands over to ${is.flow} instead of ${was.flow}`]),
    ...(is.leaves === was.leaves ? [] : [`“${is.name}” ${is.leaves ? 'ends this run' : 'lets this run go on'}`]),
  ],
};
