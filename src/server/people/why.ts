import { DECISIONS, type WhyView } from '@/core/api';
import { replayNeeds } from '@/core/replay';
import { whyNotEntered } from '@/core/flows';
import type { Db } from '@/data/db';
import { loadAllFacts } from '@/data/rules';
import { findFlow, readVersion, runsIn, tracesOf } from '@/data/flows';
import { sayTraces } from '../flows';
import { readStore } from '@/data/store';
import { notFound } from '../http';
import { person } from './who';

/** Answers "why did this person not get …?" for one flow: their runs with their decisions, and each condition of entry as it stands now. */
export async function whyNot(db: Db, personId: string, flowKey: string): Promise<WhyView> {
  const row = await person(db, personId);
  const flow = await findFlow(db, flowKey);
  if (!flow) throw notFound(`flow "${flowKey.slice(0, 60)}"`);
  const store = await readStore(db);
  const about = { key: flow.key, name: flow.name };
  if (flow.version === null)
    return {
      flow: about,
      answer: 'never-on',
      says: 'This flow has never been switched on, so nobody has got anything from it.',
      conditions: [],
      runs: [],
    };
  const document = await readVersion(db, flow.id, flow.version);
  const facts = (await loadAllFacts(db, row.id, replayNeeds([{ key: flow.key, document, offers: store.offers }])))!;
  const earlier = await runsIn(db, row.id, flow.id);
  const conditions = whyNotEntered({ key: flow.key, document, isOn: flow.state === 'on' }, facts, earlier, store);
  const runs = (
    await sayTraces(
      db,
      store,
      (await tracesOf(db, row.id, flow.id, DECISIONS)).map((entry) => ({ ...entry, flowId: flow.id })),
    )
  ).map((said) => ({ at: said.at.toISOString(), says: said.says, ...(said.because && { because: said.because }) }));
  const failed = conditions.find((one) => !one.holds);
  const open = earlier.find((run) => run.phase === 'inside' || run.phase === 'watching');
  const entered = earlier.some(
    (run) => run.phase !== 'armed' && run.outcome !== 'not-entered' && (run.outcome !== 'undone' || run.effects > 0),
  );
  const refused = earlier.some((run) => run.outcome === 'not-entered');
  const blocked = failed && `${failed.says[0]!.toLowerCase()}${failed.says.slice(1)}`;
  if (open)
    return {
      flow: about,
      answer: 'inside',
      says:
        open.phase === 'inside'
          ? 'They are inside at this moment; what they got and did not get, and why, stands below.'
          : 'They have exited, and can still reach the goal. What they got and did not get, and why, is listed below.',
      conditions,
      runs,
    };
  if (entered)
    return {
      flow: about,
      answer: 'through',
      says: `They have been through. ${failed ? `They do not start again: ${blocked}.` : 'They would start again with the next trigger.'}`,
      conditions,
      runs,
    };
  if (refused)
    return {
      flow: about,
      answer: 'not-entered',
      says: `The trigger came about, but they did not enter. At this moment${
        failed ? `: ${blocked}.` : ' every condition holds: the next trigger would let them in.'
      }`,
      conditions,
      runs,
    };
  return {
    flow: about,
    answer: 'not-started',
    says: failed ? `They were never in it: ${blocked}.` : 'Every condition holds at this moment: the next trigger would let them in.',
    conditions,
    runs,
  };
}
