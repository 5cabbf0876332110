import * as z from 'zod';
import { sayNamed } from '../wording';
import type { TestKind } from './kind';
import { lookMember, memberSince, sayMemberSince } from './member';

export const listSchema = z.strictObject({
  test: z.literal('list'),
  list: z.string().min(1).max(60),
  member: z.boolean(),
  since: memberSince,
});

export const listKind: TestKind<z.infer<typeof listSchema>> = {
  look: (test, facts, view) => lookMember('list', test.list, { isIn: test.member, since: test.since }, facts, view),
  needs: (test) => [{ kind: 'list', name: test.list }],
  turns: (test) => test.since !== undefined,
  says: (test, wording) =>
    `${test.member ? 'is on the list' : 'is not on the list'} ${sayNamed('list', test.list, wording)}${sayMemberSince(test.since)}`,
  saySaw: (test, { saw }, wording) => `${saw === true ? 'is on the list' : 'is not on the list'} ${sayNamed('list', test.list, wording)}`,
};
