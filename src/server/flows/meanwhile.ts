import type { DueView } from '@/core/api';
import { kindOfStep, planOf, sayStep } from '@/core/flows';
import { type Db } from '@/data/db';
import { dueBy, findFlow, readVersion } from '@/data/flows';
import { pausedBy } from '@/data/messages';
import { readStore } from '@/data/store';
import { notFound, Problem } from '../http';

/** What becomes of what fell due while a flow was paused: it goes out, or is let pass and the run goes on from there. */
export type Due = 'send' | 'drop';

/** Reads that choice as it stands in an address. */
export function dueFrom(text: string | null): Due {
  if (text === null || text === 'send' || text === 'drop') return text ?? 'send';
  throw new Problem(400, 'Not a choice', 'Nothing was changed.', [{ field: 'due', wrong: 'is neither of the two', right: 'send or drop' }]);
}

/**
 * What has fallen due in a flow while it is paused: how many people stand with nothing left to wait for, and before which steps.
 * Nobody, while it is on.
 */
export async function dueMeanwhile(db: Db, key: string): Promise<DueView> {
  const flow = await findFlow(db, key);
  if (!flow) throw notFound(`flow "${key.slice(0, 60)}"`);
  if (flow.state !== 'paused') return { people: 0, steps: [] };
  const { now } = await readStore(db);
  const steps = new Map<string, DueView['steps'][number]>();
  // what had been let go, and had not gone out as the flow was paused
  for (const { version, step: id, sends } of await pausedBy(db, flow.id)) {
    const step = planOf(await readVersion(db, flow.id, version)).steps.get(id);
    if (!step) continue;
    const before = steps.get(id);
    steps.set(id, { step: id, says: sayStep(step), isMessage: true, people: sends + (before?.people ?? 0) });
  }
  for (const { version, step: id, runs } of await dueBy(db, flow.id, now)) {
    const step = planOf(await readVersion(db, flow.id, version)).steps.get(id);
    // a wait runs on meanwhile: whoever is at one waits for something that has not come
    if (!step || kindOfStep(step).runsWhilePaused) continue;
    const before = steps.get(id);
    steps.set(id, { step: id, says: sayStep(step), isMessage: step.kind === 'send', people: runs + (before?.people ?? 0) });
  }
  return { people: [...steps.values()].reduce((sum, one) => sum + one.people, 0), steps: [...steps.values()] };
}
