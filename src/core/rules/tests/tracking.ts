import * as z from 'zod';
import { isKnown } from '../compare';
import { valueAt } from '../facts';
import type { Value } from '../value';
import { NO_WORLD, type World } from '../world';
import type { TestKind } from './kind';

/** The attribute in which stands what somebody has said of being measured: yes or no. */
export const TRACKING = 'tracking';

/** Words for a no, as shops write it. */
export const NO_WORDS = ['no', 'false', '0', 'n', 'off'] as const;
/** And for a yes. */
export const YES_WORDS = ['yes', 'true', '1', 'y', 'on'] as const;

/** Whether openings and clicks of somebody are counted: as they have said, else as the store does with those who have not. */
export function isTracked(attributes: { readonly [name: string]: Value }, { tracksUnasked = true }: World = NO_WORLD): boolean {
  const said = valueAt(attributes, TRACKING);
  if (!isKnown(said) || typeof said === 'object') return tracksUnasked;
  const word = String(said)
    .replace(/^ +| +$/g, '')
    .toLowerCase();
  if ((NO_WORDS as readonly string[]).includes(word)) return false;
  return (YES_WORDS as readonly string[]).includes(word) || tracksUnasked;
}

export const trackingSchema = z.strictObject({ test: z.literal('tracking'), allowed: z.boolean() });

/** Whether openings and clicks of the person are counted. */
export const trackingKind: TestKind<z.infer<typeof trackingSchema>> = {
  look(test, facts, { world }) {
    const allowed = isTracked(facts.attributes, world);
    return { holds: allowed === test.allowed, until: null, saw: allowed };
  },
  needs: () => [{ kind: 'attribute', name: TRACKING }],
  says: (test) => `${test.allowed ? 'lets' : 'does not let'} openings and clicks be counted`,
  saySaw: (_, { saw }) => (saw === true ? 'lets openings and clicks be counted' : 'does not let openings and clicks be counted'),
};
