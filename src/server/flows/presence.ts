import { presenceInput, type PresenceView } from '@/core/api';
import type { Db } from '@/data/db';
import { findFlow, leavePresence, notePresence } from '@/data/flows';
import { notFound, Problem, problemsOf } from '../http';

/** Notes where somebody is in a flow that they have open; answers with who else is there, and with the revision of the draft. */
export async function presentIn(db: Db, key: string, body: unknown, name: string): Promise<PresenceView> {
  const parsed = presenceInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a presence', 'Nothing was noted.', problemsOf(parsed.error));
  const flow = await findFlow(db, key);
  if (!flow) throw notFound(`flow "${key.slice(0, 60)}"`);
  if (parsed.data.leaves) {
    await leavePresence(db, flow.id, parsed.data.tab);
    return { revision: flow.draft_revision, others: [] };
  }
  const others = await notePresence(db, flow.id, parsed.data.tab, name, parsed.data.step);
  return { revision: flow.draft_revision, others };
}
