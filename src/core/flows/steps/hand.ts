import * as z from 'zod';
import { FLOW_HANDED, type Value } from '../../rules';
import { flowKey, name, stepId } from '../parts';
import type { About, Deed } from '../run';
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

/** What tells another flow that somebody is handed over to it; null where flows have begun each other too often already. */
export function handing(
  to: string,
  data: { readonly [name: string]: Value },
  from: { readonly about: About; readonly run: string; readonly flow: string },
): Extract<Deed, { kind: 'event' }> | null {
  const hops = hopsOf(from.about.data);
  if (hops > MOST_HOPS) return null;
  return { kind: 'event', type: FLOW_HANDED, properties: { ...data, to, about: from.about.key || from.run, byFlow: from.flow, hops } };
}

export const handKind: StepKind<HandStep> = {
  actsOnce: true,
  run(step, here) {
    const deed = handing(step.flow, here.about.data, here);
    if (deed) {
      here.do(deed);
      here.note('handed', { saw: { flow: step.flow } });
    } else here.note('skipped', { saw: { hops: MOST_HOPS } });
    return { to: step.leaves ? 'end' : 'next' };
  },
  fresh: (id) => ({ id, kind: 'hand', name: 'To another flow', flow: 'welcome', leaves: true }),
  says: (step) => `Hand over “${step.name}”`,
  saysNext: (step) => `Hand over “${step.name}”`,
  names: (step) => [{ kind: 'flow', key: step.flow }],
  differs: (was, is) => [
    ...(is.name === was.name ? [] : [`“${was.name}” is now called “${is.name}”`]),
    ...(is.flow === was.flow ? [] : [`“${is.name}” hands over to ${is.flow} instead of ${was.flow}`]),
    ...(is.leaves === was.leaves ? [] : [`“${is.name}” ${is.leaves ? 'ends this run' : 'lets this run go on'}`]),
  ],
};
