import * as z from 'zod';
import { propertyName, propertyTestsSchema, sayComparison, sayName, type FactChange, type Value } from '../../rules';
import { UPDATED_BY } from '../run';
import { MOST_HOPS } from '../steps/record';
import { eventTrigger } from './event';
import type { TriggerKind } from './kind';

/** Tells that an attribute of somebody has changed, where a flow starts by it. */
export const ATTRIBUTE_CHANGED = 'attribute.changed';

/** What is told of a change: the attribute, what it `was` and `is`, and `by` how much it rose (below 0: fell), where both are numbers. */
export const CHANGE_WORDS: { readonly [property: string]: string } = { was: 'the old value', is: 'the new value', by: 'the rise' };

/** An attribute of a person changes: from something, to something, by so much, past a mark. */
export const changeTriggerShape = {
  kind: z.literal('change'),
  event: z.literal(ATTRIBUTE_CHANGED).default(ATTRIBUTE_CHANGED),
  key: z.null().default(null),
  name: propertyName.refine((name) => !name.includes('.'), 'must be an attribute as a whole, without a dot'),
  where: propertyTestsSchema.optional(),
};
export type ChangeTrigger = z.infer<z.ZodObject<typeof changeTriggerShape>>;

/** What is told of a change of an attribute; `by` names the flow that made it, and how many flows had led to it. Null where too many had. */
export function changeTold(
  { name, was, is }: Pick<FactChange, 'name' | 'was' | 'is'>,
  by?: { readonly flow: string; readonly hops: number },
): { readonly type: string; readonly properties: { readonly [name: string]: Value } } | null {
  if (by && by.hops > MOST_HOPS) return null;
  return {
    type: ATTRIBUTE_CHANGED,
    properties: {
      attribute: name,
      was,
      is,
      // as a shop counts points: 0.3 less 0.1 is 0.2
      ...(typeof was === 'number' && typeof is === 'number' && { by: Math.round((is - was) * 1e6) / 1e6 }),
      ...(by && { byFlow: by.flow, hops: by.hops }),
    },
  };
}

/** The flow that a change says was its cause; undefined where it was none. */
export const flowBehind = (cause: string): string | undefined =>
  cause.startsWith(UPDATED_BY) ? cause.slice(UPDATED_BY.length) : undefined;

const { startsAt, stateAt, asks, endsOn, lead } = eventTrigger as unknown as TriggerKind<ChangeTrigger>;

export const changeTrigger: TriggerKind<ChangeTrigger> = {
  startsAt,
  stateAt,
  asks,
  endsOn,
  lead,
  problems: ({ where = [] }) =>
    where.flatMap(({ property }, index) =>
      Object.hasOwn(CHANGE_WORDS, property)
        ? []
        : [{ path: ['where', index, 'property'], message: `is not told of a change; ask ${Object.keys(CHANGE_WORDS).join(', ')}` }],
    ),
  says({ name, where = [] }) {
    const asked = where.flatMap((test) =>
      'any' in test ? [] : [`${CHANGE_WORDS[test.property] ?? test.property} ${sayComparison(test)}`],
    );
    return `A change of their ${sayName(name)}${asked.length ? `: ${asked.join(' and ')}` : ''}`;
  },
  saysDue: ({ name }) => `their ${sayName(name)} had changed`,
};
