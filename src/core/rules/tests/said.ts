import * as z from 'zod';
import { CHANNELS, CHANNEL_WORDS } from '../channel';
import { checkComparison, compare, comparisonShape, type Comparison } from '../compare';
import { sayComparison } from '../wording';
import { saySince } from '../when';
import { lookSince, memberSince } from './member';
import type { TestKind } from './kind';

const compared = z.strictObject(comparisonShape).superRefine(checkComparison);

/** What somebody's consent to a channel rests on: how and where they last said it, and since when it stands. */
export const saidSchema = z.strictObject({
  test: z.literal('said'),
  channel: z.enum(CHANNELS),
  state: z.enum(['given', 'withdrawn']),
  is: z.boolean(),
  how: compared.optional(),
  place: compared.optional(),
  since: memberSince,
});
type SaidTest = z.infer<typeof saidSchema>;

const sayPart = (what: string, comparison: Comparison | undefined) => (comparison ? [`${what} ${sayComparison(comparison)}`] : []);

export const saidKind: TestKind<SaidTest> = {
  look(test, facts, view) {
    const { state, said } = facts.reach[test.channel];
    const saw = said && { how: said.how, place: said.place };
    const isSaid =
      state === test.state &&
      (!test.how || compare(said?.how ?? null, test.how)) &&
      (!test.place || compare(said?.place ?? null, test.place));
    if (!test.since || !isSaid) return { holds: isSaid === test.is, until: null, saw };
    const { holds, until } = lookSince(said?.at ?? -Infinity, test.since, view);
    return { holds: holds === test.is, until, saw };
  },
  needs: (test) => [{ kind: 'reach', channel: test.channel }],
  turns: (test) => test.since !== undefined,
  says(test) {
    const rests = [...sayPart('how', test.how), ...sayPart('where', test.place)];
    const done = test.state === 'given' ? 'agreed to' : 'withdrawn consent to';
    const how = rests.length ? ` (${rests.join(', ')})` : '';
    return `has ${test.is ? '' : 'not '}${done} ${CHANNEL_WORDS[test.channel].noun}${how}${test.since ? saySince(test.since) : ''}`;
  },
  saySaw(test, { saw }) {
    const noun = CHANNEL_WORDS[test.channel].noun;
    if (!saw) return `has no answer on file about ${noun}`;
    const { how, place } = saw as { how: string | null; place: string | null };
    return `what was last said about ${noun}: ${how ?? 'it is not known how'}${place ? `, at ${place}` : ''}`;
  },
};
