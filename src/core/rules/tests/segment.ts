import { z } from 'zod';
import type { TestKind } from './kind';

export const segmentKey = z.string().regex(/^[a-z0-9][a-z0-9-]{0,59}$/, 'is not the key of a segment; use a-z, 0-9 and -');
export const segmentTestSchema = z.strictObject({ test: z.literal('segment'), segment: segmentKey, member: z.boolean() });

/** Whether the person is in a segment, as it is kept. */
export const segmentKind: TestKind<z.infer<typeof segmentTestSchema>> = {
  look: (test, facts) => ({ holds: facts.segments.includes(test.segment) === test.member, until: null }),
  need: (test) => ({ kind: 'segment', name: test.segment }),
  says: (test) => `${test.member ? 'is' : 'is not'} in the segment ${test.segment}`,
  saySaw: (test, { holds }) => `${holds === test.member ? 'is' : 'is not'} in the segment ${test.segment}`,
};
