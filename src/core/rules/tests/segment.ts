import * as z from 'zod';
import { sayNamed } from '../wording';
import type { TestKind } from './kind';
import { lookMember, memberSince, sayMemberSince } from './member';

export const segmentKey = z.string().regex(/^[a-z0-9][a-z0-9-]{0,59}$/, 'is not the key of a segment; use a-z, 0-9 and -');
export const segmentTestSchema = z.strictObject({
  test: z.literal('segment'),
  segment: segmentKey,
  member: z.boolean(),
  since: memberSince,
});

/** Whether the person is in a segment, as it is kept. */
export const segmentKind: TestKind<z.infer<typeof segmentTestSchema>> = {
  look: (test, facts, view) => lookMember('segment', test.segment, { isIn: test.member, since: test.since }, facts, view),
  needs: (test) => [{ kind: 'segment', name: test.segment }],
  turns: (test) => test.since !== undefined,
  says: (test, wording) =>
    `${test.member ? 'is in the segment' : 'is not in the segment'} ${sayNamed('segment', test.segment, wording)}${sayMemberSince(test.since)}`,
  saySaw: (test, { saw }, wording) =>
    `${saw === true ? 'is in the segment' : 'is not in the segment'} ${sayNamed('segment', test.segment, wording)}`,
};
