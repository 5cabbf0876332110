import * as z from 'zod';
import { CHANNELS, CHANNEL_WORDS, type Channel } from '../channel';
import type { Reach } from '../facts';
import type { TestKind } from './kind';

export const REACH_STATES = ['address', 'given', 'withdrawn', 'notAsked', 'paused', 'suppressed', 'bounced', 'complained'] as const;
type State = (typeof REACH_STATES)[number];

/** One thing that stands between us and a person on a channel, or does not. */
export const reachSchema = z.strictObject({
  test: z.literal('reach'),
  channel: z.enum(CHANNELS),
  state: z.enum(REACH_STATES),
  is: z.boolean(),
});

const isSo: { readonly [state in State]: (reach: Reach, now: number) => boolean } = {
  address: (reach) => reach.hasAddress,
  given: (reach) => reach.state === 'given',
  withdrawn: (reach) => reach.state === 'withdrawn',
  notAsked: (reach) => reach.state === 'unknown',
  paused: (reach, now) => reach.pausedUntil !== null && reach.pausedUntil > now,
  suppressed: (reach) => reach.suppressed !== null,
  bounced: (reach) => reach.suppressed === 'bounced',
  complained: (reach) => reach.suppressed === 'complained',
};

/** What is said of somebody for whom it is so, and for whom it is not. */
export function sayReachState(state: State, is: boolean, channel: Channel): string {
  const { noun, address } = CHANNEL_WORDS[channel];
  switch (state) {
    case 'address':
      return `${is ? 'has' : 'has no'} ${address}`;
    case 'given':
      return `has ${is ? '' : 'not '}agreed to ${noun}`;
    case 'withdrawn':
      return `has ${is ? '' : 'not '}withdrawn consent to ${noun}`;
    case 'notAsked':
      return `has ${is ? 'no' : 'an'} answer on file about ${noun}`;
    case 'paused':
      return `has ${is ? '' : 'not '}asked for a pause that still lasts`;
    case 'suppressed':
      return `has ${is ? 'a' : 'no'} suppressed ${address}`;
    case 'bounced':
      return `has ${is ? 'a' : 'no'} ${address} that bounced`;
    case 'complained':
      return `has ${is ? '' : 'not '}complained about ${noun}`;
  }
}

export const reachKind: TestKind<z.infer<typeof reachSchema>> = {
  look(test, facts, { now }) {
    const reach = facts.reach[test.channel];
    const until = test.state === 'paused' && isSo.paused(reach, now) ? reach.pausedUntil : null;
    const so = isSo[test.state](reach, now);
    return { holds: so === test.is, until, saw: so };
  },
  needs: (test) => [{ kind: 'reach', channel: test.channel }],
  turns: (test) => test.state === 'paused',
  says: (test) => sayReachState(test.state, test.is, test.channel),
  saySaw: (test, { saw }) => sayReachState(test.state, saw === true, test.channel),
};
