import { isDeepStrictEqual } from 'node:util';
import { sayMayNot } from '@/core/access';
import type { Db } from '@/data/db';
import { findFlow } from '@/data/flows';
import { Problem } from '../http';

/** What of a step is written: its message, and the versions of it. */
const WRITTEN = new Set(['message', 'versions']);

/** A document without what is written in it. */
const bare = (document: unknown): unknown =>
  JSON.parse(JSON.stringify(document, (name, value: unknown) => (WRITTEN.has(name) ? undefined : value)) ?? 'null');

/** Refuses a draft that changes anything of a flow but what its messages say: for those who write and do not lead flows. */
export async function onlyMessages(db: Db, key: string, document: unknown): Promise<void> {
  const flow = await findFlow(db, key.slice(0, 80));
  if (!flow || !isDeepStrictEqual(bare(document), bare(flow.draft)))
    throw new Problem(403, 'Not for your role', `This changes more of the flow than its messages. ${sayMayNot('writer')}`);
}
