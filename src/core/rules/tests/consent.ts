import * as z from 'zod';
import { CHANNELS, CHANNEL_WORDS } from '../channel';
import { barrierOf, sayBarrier, type Barrier } from '../facts';
import type { TestKind } from './kind';

export const consentSchema = z.strictObject({ test: z.literal('consent'), channel: z.enum(CHANNELS), reachable: z.boolean() });

/** Whether marketing may go out to them on a channel. */
export const consentKind: TestKind<z.infer<typeof consentSchema>> = {
  look(test, facts, view) {
    const reach = facts.reach[test.channel];
    const barrier = barrierOf(reach, view.now);
    // a pause that the person asked for ends by itself
    const until = reach.pausedUntil !== null && reach.pausedUntil > view.now ? reach.pausedUntil : null;
    return { holds: (barrier === null) === test.reachable, until, saw: barrier };
  },
  needs: (test) => [{ kind: 'reach', channel: test.channel }],
  turns: () => true,
  says: (test) => `${test.reachable ? 'can' : 'cannot'} ${CHANNEL_WORDS[test.channel].able}`,
  saySaw: (test, { saw }) =>
    saw ? sayBarrier(saw as Barrier, test.channel) : `has an address and agreed to ${CHANNEL_WORDS[test.channel].noun}`,
};
