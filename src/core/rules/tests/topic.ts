import * as z from 'zod';
import { sayNamed } from '../wording';
import type { TestKind } from './kind';

export const topicSchema = z.strictObject({ test: z.literal('topic'), topic: z.string().min(1).max(60), wants: z.boolean() });

/** Whether the person wants to read about a topic: everybody does who has not said otherwise. */
export const topicKind: TestKind<z.infer<typeof topicSchema>> = {
  look: (test, facts) => ({ holds: facts.declined.includes(test.topic) !== test.wants, until: null }),
  needs: (test) => [{ kind: 'topic', name: test.topic }],
  says: (test, wording) => `${test.wants ? 'wants' : 'does not want'} to read about ${sayNamed('topic', test.topic, wording)}`,
  saySaw: (test, { holds }, wording) =>
    `${holds === test.wants ? 'wants' : 'does not want'} to read about ${sayNamed('topic', test.topic, wording)}`,
};
