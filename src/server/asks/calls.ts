import type { CallsView } from '@/core/api';
import { answeredOf, CALL_ENDED, effectName, planOf } from '@/core/flows';
import { fillBody, personalOf } from '@/core/messages';
import type { Value } from '@/core/rules';
import { MINUTE, type Instant } from '@/core/time';
import { readSetting, writeSetting } from '@/data/access';
import { aboutAsk, askRow, closeAsk, listAsks, lockAsk, noteTry, openAgain, type AskRow } from '@/data/asks';
import { inTransaction, type Db } from '@/data/db';
import { readVersion } from '@/data/flows';
import { lockPeople } from '@/data/people';
import { readStore, recordAct } from '@/data/store';
import { addJobs } from '@/data/work';
import { notFound, Problem, unstorable } from '../http';
import { recordFor } from '../ingest';
import { openLanes, type Lanes } from '../messages';
import { callSecret, newSecret, tryCall, type Tried } from '../outgoing';

/** What calls are made with. */
export interface Calling {
  readonly db: Db;
  /** hosts with their ports on the inside of the network that may be called */
  readonly inside?: readonly string[];
}

/** How long after each try that has failed the next is made; the last goes on for as long as the run waits. */
const PAUSES_MS = [10_000, 30_000, MINUTE, 5 * MINUTE, 15 * MINUTE];
const lanes = new WeakMap<Db, Lanes>();

/**
 * Makes a call that a flow has asked for: one try. What fails for now comes again in a job of its own, as long as the run waits;
 * a host that is slow or away is left alone for a while, and holds up nobody else. What came of it is told as an event, once.
 */
export async function makeCall({ db, inside = [] }: Calling, id: string): Promise<void> {
  const ask = await askRow(db, id);
  if (!ask || ask.kind !== 'call' || ask.state !== 'open') return;
  const step = planOf(await readVersion(db, ask.flow_id, ask.version)).steps.get(ask.step_id);
  const about = await aboutAsk(db, ask);
  const store = await readStore(db);
  if (step?.kind !== 'call' || !about)
    return end(db, ask, { ok: false, status: null, because: 'its step or its person is gone', canHelp: false });
  const personal = personalOf(about.attributes, about.about ?? {}, store, answeredOf(about.answers));
  let body: string;
  try {
    body = JSON.stringify(fillBody(step.body, personal));
  } catch (error) {
    return end(db, ask, {
      ok: false,
      status: null,
      because: `has a body that cannot be put together: ${(error as Error).message.slice(0, 200)}`,
      canHelp: false,
    });
  }
  await tryOnce({ db, inside }, ask, step.url, body, store.now);
}

/** One try at an address for what a run has asked, as far as its host is free: what fails for now is put off. */
export async function tryOnce({ db, inside = [] }: Calling, ask: AskRow, url: string, body: string, now: Instant): Promise<void> {
  let mine = lanes.get(db);
  if (!mine) lanes.set(db, (mine = openLanes({ most: 4 })));
  const { host } = new URL(url);
  const wait = mine.wait(host);
  if (wait !== 0) return later(db, ask, wait ?? 1000);
  const leave = mine.enter(host);
  const name = effectName(ask.run_id, { stepId: ask.step_id, visit: ask.visit });
  const tried = await tryCall({ url, id: name, body, secret: await callSecret(db), inside });
  leave(tried.ok || !tried.canHelp ? 'well' : 'badly');
  const pause = PAUSES_MS[Math.min(ask.tries, PAUSES_MS.length - 1)]!;
  if (!tried.ok && tried.canHelp && now + pause < ask.until_at.getTime()) {
    await noteTry(db, ask.id, tried.because);
    return later(db, ask, pause);
  }
  await end(db, ask, tried);
}

const later = (db: Db, { id, kind }: AskRow, afterMs: number): Promise<void> => addJobs(db, kind, [{ id }], 15, afterMs);

/** Notes what came of it; of a call it is told, too. */
export async function end(db: Db, { id }: AskRow, tried: Tried): Promise<void> {
  await inTransaction(db, async (trx) => {
    const ask = await lockAsk(trx, id);
    if (!ask || ask.state !== 'open') return;
    const { now } = await readStore(trx);
    const error = tried.ok ? null : tried.because;
    await closeAsk(trx, id, { state: tried.ok ? 'done' : 'failed', at: now, by: null, note: null, error });
    if (ask.kind !== 'call' || !(await lockPeople(trx, [ask.person_id])).size) return;
    const answer = tried.ok && !unstorable(tried.answer as Value, '') ? (tried.answer as Value) : {};
    await recordFor(trx, [
      {
        personId: ask.person_id,
        type: CALL_ENDED,
        // one that is tried anew by hand is told anew
        eventId: `${CALL_ENDED}/${id}/${ask.tries}`,
        properties: { ...ask.about, ok: tried.ok, status: tried.status, ...(tried.ok ? { answer } : { because: tried.because }) },
      },
    ]);
  });
}

/** Makes another secret for signing calls: shown this once. From now on the one of before is worth nothing. */
export async function renewSecret(db: Db, by: string): Promise<{ secret: string }> {
  const secret = newSecret();
  await inTransaction(db, async (trx) => {
    await writeSetting(trx, 'calls', { secret });
    await recordAct(trx, (await readStore(trx)).now, by, 'calls.secret-renewed', {});
  });
  return { secret };
}

/** Calls that wait, have failed or were answered, newest first. */
export async function callsView(db: Db): Promise<CallsView> {
  const { now } = await readStore(db);
  const [open, failed, done] = [
    await listAsks(db, { kind: ['call', 'note'], state: 'open', now }),
    await listAsks(db, { kind: ['call', 'note'], state: 'failed', now }),
    await listAsks(db, { kind: ['call', 'note'], state: 'done', now, limit: 50 }),
  ];
  return {
    hasSecret: (await readSetting(db, 'calls')) !== null,
    totals: { open: open.total, failed: failed.total, done: done.total },
    calls: [...open.rows, ...failed.rows, ...done.rows].map((row) => ({
      id: row.id,
      state: row.state,
      flow: { key: row.flow, name: row.flow_name },
      step: row.step_id,
      person: { id: row.person, name: row.person_name },
      askedAt: row.asked_at.toISOString(),
      until: row.until_at.toISOString(),
      endedAt: row.closed_at?.toISOString() ?? null,
      tries: row.tries,
      error: row.error,
    })),
  };
}

/** Makes a call that has failed once more. Where its run still waits, the answer goes to it; otherwise it is told all the same. */
export async function retryCall(db: Db, id: string, by: string): Promise<void> {
  await inTransaction(db, async (trx) => {
    const ask = await lockAsk(trx, id);
    if (!ask || (ask.kind !== 'call' && ask.kind !== 'note')) throw notFound(`call ${id.slice(0, 30)}`);
    if (ask.state !== 'failed') throw new Problem(409, 'Not failed', 'Only a call that has failed can be made again.');
    await openAgain(trx, id);
    await addJobs(trx, ask.kind, [{ id }], 15);
    await recordAct(trx, (await readStore(trx)).now, by, 'call.made-again', { id });
  });
}
