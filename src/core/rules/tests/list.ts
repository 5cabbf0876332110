import { z } from 'zod';
import type { TestKind } from './kind';

export const listSchema = z.strictObject({ test: z.literal('list'), list: z.string().min(1).max(60), member: z.boolean() });

export const listKind: TestKind<z.infer<typeof listSchema>> = {
  look: (test, facts) => ({ holds: facts.lists.includes(test.list) === test.member, until: null }),
  need: (test) => ({ kind: 'list', name: test.list }),
  says: (test) => `${test.member ? 'is' : 'is not'} on the list ${test.list}`,
  saySaw: (test, { holds }) => `${holds === test.member ? 'is' : 'is not'} on the list ${test.list}`,
};
