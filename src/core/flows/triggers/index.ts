import { z } from 'zod';
import { FLOW_HANDED } from '../../rules';
import { stepId } from '../parts';
import { HANDED } from '../run';
import { eventTrigger, eventTriggerShape, type EventTrigger } from './event';
import type { TriggerKind, TriggerState } from './kind';
import { silenceTrigger, silenceTriggerShape, type SilenceTrigger } from './silence';

export { keyOf } from './kind';
export type { TriggerKind, TriggerState, EventTrigger, SilenceTrigger };

/** What starts a flow: `event` at once, `silence` after no more of the event. */
export const triggerSchema = z.discriminatedUnion('kind', [
  z.strictObject({ id: stepId, ...eventTriggerShape }),
  z.strictObject({ id: stepId, ...silenceTriggerShape }),
]);
export type Trigger = z.infer<typeof triggerSchema>;

const KINDS: { readonly [K in Trigger['kind']]: TriggerKind<Extract<Trigger, { kind: K }>> } = {
  event: eventTrigger,
  silence: silenceTrigger,
};

/** The trigger by which other flows hand somebody over: every flow has it. */
const handedTo = (key: string): Trigger => ({
  id: HANDED,
  kind: 'event',
  event: FLOW_HANDED,
  key: 'about',
  where: [{ property: 'to', op: 'is', value: key }],
});

/** The trigger with an id in a flow with a key; nothing where it is gone. */
export const triggerOf = (
  { document, key }: { readonly document: { readonly triggers: readonly Trigger[] }; readonly key: string },
  id: string,
): Trigger | undefined => (id === HANDED ? handedTo(key) : document.triggers.find((one) => one.id === id));

/** All that starts a flow with a key. */
export const triggersOf = ({
  document,
  key,
}: {
  readonly document: { readonly triggers: readonly Trigger[] };
  readonly key: string;
}): readonly Trigger[] => [...document.triggers, handedTo(key)];

/** What there is to know of a trigger, by its kind. */
export const kindOfTrigger = (trigger: Trigger): TriggerKind<Trigger> => KINDS[trigger.kind] as TriggerKind<Trigger>;

/** Says a trigger as the beginning of a sentence. */
export const sayTrigger = (trigger: Trigger): string => kindOfTrigger(trigger).says(trigger);

/** Says triggers, of which any starts the flow. */
export const sayTriggers = (triggers: readonly Trigger[]): string => triggers.map(sayTrigger).join('; or ');
