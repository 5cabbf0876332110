import { z } from 'zod';
import type { TestKind } from './kind';

export const tagSchema = z.strictObject({ test: z.literal('tag'), tag: z.string().min(1).max(60), has: z.boolean() });

export const tagKind: TestKind<z.infer<typeof tagSchema>> = {
  look: (test, facts) => ({ holds: facts.tags.includes(test.tag) === test.has, until: null }),
  need: (test) => ({ kind: 'tag', name: test.tag }),
  says: (test) => `${test.has ? 'has the tag' : 'does not have the tag'} ${test.tag}`,
  saySaw: (test, { holds }) => (holds === test.has ? `has the tag ${test.tag}` : `has no tag ${test.tag}`),
};
