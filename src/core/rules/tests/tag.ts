import * as z from 'zod';
import type { TestKind } from './kind';
import { lookMember, memberSince, sayMemberSince } from './member';

export const tagSchema = z.strictObject({ test: z.literal('tag'), tag: z.string().min(1).max(60), has: z.boolean(), since: memberSince });

export const tagKind: TestKind<z.infer<typeof tagSchema>> = {
  look: (test, facts, view) => lookMember('tag', test.tag, { isIn: test.has, since: test.since }, facts, view),
  needs: (test) => [{ kind: 'tag', name: test.tag }],
  turns: (test) => test.since !== undefined,
  says: (test) => `${test.has ? 'has the tag' : 'does not have the tag'} ${test.tag}${sayMemberSince(test.since)}`,
  saySaw: (test, { saw }) => `${saw === true ? 'has the tag' : 'has no tag'} ${test.tag}`,
};
