import * as z from 'zod';
import { FLOW_HANDED } from '../../rules';
import { stepId } from '../parts';
import { HANDED } from '../run';
import { eventTrigger, eventTriggerShape, type EventTrigger } from './event';
import { ATTRIBUTE_CHANGED, CHANGE_WORDS, changeTold, changeTrigger, changeTriggerShape, flowBehind, type ChangeTrigger } from './change';
import type { TriggerKind, TriggerState } from './kind';
import {
  clocksOf,
  dateTrigger,
  dateTriggerShape,
  FLOW_DUE,
  nextOccasion,
  occasionName,
  scheduleTrigger,
  scheduleTriggerShape,
  whoIsDue,
  type DateTrigger,
  type ScheduleTrigger,
} from './schedule';
import { productTrigger, productTriggerShape, sayRelated, whoConcerns, type ProductTrigger } from './product';
import { silenceTrigger, silenceTriggerShape, type SilenceTrigger } from './silence';

export { keyOf } from './kind';
export { ATTRIBUTE_CHANGED, CHANGE_WORDS, changeTold, flowBehind };
export { sayRelated, whoConcerns };
export { clocksOf, FLOW_DUE, nextOccasion, occasionName, whoIsDue };
export type { ChangeTrigger, DateTrigger, ProductTrigger, ScheduleTrigger };
export type { TriggerKind, TriggerState, EventTrigger, SilenceTrigger };

/**
 * What starts a flow: `event` at once, `silence` after no more of the event, `schedule` by the clock, `date` by a
 * day on file, `change` by an attribute that changes, `product` by a product that is there again or costs something else.
 */
export const triggerSchema = z.discriminatedUnion('kind', [
  z.strictObject({ id: stepId, ...eventTriggerShape }),
  z.strictObject({ id: stepId, ...silenceTriggerShape }),
  z.strictObject({ id: stepId, ...scheduleTriggerShape }),
  z.strictObject({ id: stepId, ...dateTriggerShape }),
  z.strictObject({ id: stepId, ...changeTriggerShape }),
  z.strictObject({ id: stepId, ...productTriggerShape }),
]);
export type Trigger = z.infer<typeof triggerSchema>;

const KINDS: { readonly [K in Trigger['kind']]: TriggerKind<Extract<Trigger, { kind: K }>> } = {
  event: eventTrigger,
  silence: silenceTrigger,
  schedule: scheduleTrigger,
  date: dateTrigger,
  change: changeTrigger,
  product: productTrigger,
};

/** The trigger by which other flows hand somebody over: every flow has it. */
const handedTo = (key: string): Trigger => ({
  id: HANDED,
  kind: 'event',
  event: FLOW_HANDED,
  key: 'about',
  where: [{ property: 'to', op: 'is', value: key }],
});

interface Triggered {
  readonly document: { readonly triggers: readonly Trigger[] };
  readonly key: string;
}

/** Whether a trigger goes by the clock: its time comes at occasions, for whoever is due then. */
export const isTimed = (trigger: Trigger): trigger is Extract<Trigger, { kind: 'schedule' | 'date' }> =>
  trigger.kind === 'schedule' || trigger.kind === 'date';

/** A trigger as it runs: one that goes by the clock hears just what is told for it, one by a change just what is told of its attribute. */
const running = (trigger: Trigger, key: string): Trigger =>
  isTimed(trigger)
    ? {
        ...trigger,
        where: [
          { property: 'to', op: 'is', value: key },
          { property: 'trigger', op: 'is', value: trigger.id },
        ],
      }
    : trigger.kind === 'product'
      ? {
          ...trigger,
          where: [{ property: 'to', op: 'is', value: key }, { property: 'trigger', op: 'is', value: trigger.id }, ...(trigger.where ?? [])],
        }
      : trigger.kind === 'change'
        ? { ...trigger, where: [{ property: 'attribute', op: 'is', value: trigger.name }, ...(trigger.where ?? [])] }
        : trigger;

/** The attributes of which flows want to be told that they change. */
export const attributesHeard = (documents: readonly { readonly triggers: readonly Trigger[] }[]): ReadonlySet<string> =>
  new Set(documents.flatMap(({ triggers }) => triggers.flatMap((one) => (one.kind === 'change' ? [one.name] : []))));

/** The trigger with an id in a flow with a key; nothing where it is gone. */
export function triggerOf({ document, key }: Triggered, id: string): Trigger | undefined {
  return triggersOf({ document, key }).find((one) => one.id === id);
}

const prepared = new WeakMap<object, { readonly key: string; readonly triggers: readonly Trigger[] }>();

/** All that starts a flow with a key. */
export function triggersOf({ document, key }: Triggered): readonly Trigger[] {
  let known = prepared.get(document);
  if (known?.key !== key) {
    known = { key, triggers: [...document.triggers.map((one) => running(one, key)), handedTo(key)] };
    prepared.set(document, known);
  }
  return known.triggers;
}

/** What there is to know of a trigger, by its kind. */
export const kindOfTrigger = (trigger: Trigger): TriggerKind<Trigger> => KINDS[trigger.kind] as TriggerKind<Trigger>;

/** Says a trigger as the beginning of a sentence. */
export const sayTrigger = (trigger: Trigger): string => kindOfTrigger(trigger).says(trigger);

/** Says triggers, of which any starts the flow. */
export const sayTriggers = (triggers: readonly Trigger[]): string => triggers.map(sayTrigger).join('; or ');
