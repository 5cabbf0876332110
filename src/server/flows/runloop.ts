import {
  advancePerson,
  asksOf,
  effectName,
  isAsk,
  hopsOf,
  isPerPerson,
  factsNeeded,
  sharedOffersOf,
  placesOf,
  planOf,
  type Due,
  type EarlierRun,
  type EventAsk,
  type FlowDocument,
  type Passed,
  type RunningFlow,
} from '@/core/flows';
import type { Instant } from '@/core/time';
import { inTransaction, isOutage, traced, type Db, type Sql } from '@/data/db';
import { loadFacts } from '@/data/rules';
import {
  aboutOf,
  armRuns,
  claimDue,
  earlierRuns,
  enteredByDay,
  flowsNow,
  insertSends,
  isAnythingDue,
  parkRuns,
  readVersion,
  saveRuns,
  toRun,
  type Arming,
  type NewSend,
  type RunChange,
  type RunRow,
} from '@/data/flows';
import { insertAsks, type NewAsk } from '@/data/asks';
import { holdBounded, sharingOf } from '@/data/offers';
import { readStore, type StoreNow } from '@/data/store';
import { addJobs } from '@/data/work';
import { queueDispatch } from '@/data/messages';
import { log } from '../base';
import { recordFor, type OwnEvent } from '../ingest';
import { BATCH, BEFORE_RUNS } from './before';
import { storeChanges, type FlowChange } from './changes';
import { storeCodes, type CodeToIssue } from '../codes';

/**
 * Claims a batch of due runs, moves each as far as it can go, and stores state, trace and effects in one transaction,
 * together with the jobs that carry the effects out. If the process is killed, nothing of the batch has happened. A run that
 * fails is set aside, and the others go on. If the batch can't be stored after a few tries of the transaction, each person is moved
 * alone until the one that fails is found. Only an outage of the database is thrown.
 * Returns the number of runs moved; 0 if nothing was due, or if other workers had claimed all of it.
 */
export async function tick(db: Db, limit = BATCH): Promise<number> {
  let claimed: readonly RunRow[] = [];
  try {
    return await inTransaction(db, (trx) => moveDue(trx, limit, (due) => (claimed = due)));
  } catch (error) {
    if (isOutage(error) || !claimed.length) throw error;
    if (new Set(claimed.map((row) => row.person_id)).size > 1) {
      let moved = 0;
      for (let left = claimed.length; left > 0; left--) moved += await tick(db, 1);
      return moved;
    }
    // the driver puts the statement before what the database said
    const broken = (error as Error).message.split(' - ').at(-1)!;
    log.error({ runs: claimed.map((row) => row.id), broken }, 'runs cannot be stored and are set aside');
    const { now } = await readStore(db);
    await parkRuns(
      db,
      claimed.map((row) => ({ personId: row.person_id, id: row.id, broken })),
      now,
    );
    return claimed.length;
  }
}

async function moveDue(trx: Sql, limit: number, onClaimed: (due: readonly RunRow[]) => void): Promise<number> {
  const store = await readStore(trx);
  const due = await claimDue(trx, store.now, limit);
  onClaimed(due);
  if (!due.length) return 0;
  return traced('move runs', { attributes: { 'viatic.runs': due.length } }, () => moveClaimed(trx, store, due));
}

async function moveClaimed(trx: Sql, store: StoreNow, due: readonly RunRow[]): Promise<number> {
  const { now } = store;
  const flows = await flowsNow(trx, [...new Set(due.map((row) => row.flow_id))]);
  const versionOf = (row: RunRow) => (row.phase === 'armed' ? (flows.get(row.flow_id)?.version ?? row.version) : row.version);
  const running = new Map<string, RunningFlow>();
  // of offers that are bounded: how many codes are left for those who come after
  const codesLeft = new Map<string, number>();
  const people = new Map<string, { due: (Due & { flowId: number; version: number })[]; events: EventAsk[] }>();
  const broken: { personId: string; id: string; broken: string }[] = [];
  const setAside = (row: Pick<RunRow, 'person_id' | 'id'>, error: unknown) => {
    log.error({ run: row.id, error: (error as Error).stack }, 'a run broke and is set aside');
    broken.push({ personId: row.person_id, id: row.id, broken: (error as Error).message });
  };
  const flowOf = async (row: RunRow, version: number): Promise<RunningFlow> => {
    const id = `${row.flow_id}/${version}`;
    let flow = running.get(id);
    if (!flow) {
      const document = await readVersion(trx, row.flow_id, version);
      const now = flows.get(row.flow_id);
      running.set(
        id,
        (flow = {
          key: now?.key ?? '',
          document,
          isOn: now?.state === 'on',
          zone: store.zone,
          world: store.world,
          limits: store.limits,
          offers: store.offers,
          tables: store.tables,
          codesLeft,
          places: document.perDay ? await placesIn(trx, row.flow_id, document, due, store) : null,
        }),
      );
    }
    return flow;
  };
  const looking: { row: RunRow; version: number; flow: RunningFlow }[] = [];
  for (const row of due) {
    const version = versionOf(row);
    try {
      looking.push({ row, version, flow: await flowOf(row, version) });
    } catch (error) {
      setAside(row, error);
    }
  }
  // what started a run also says how many flows have started each other, so every run with an event needs it
  const about = await aboutOf(
    trx,
    looking.flatMap(({ row }) => (row.about_event !== null && row.about_data === null ? [row] : [])),
  );
  for (const { row, version, flow } of looking) {
    const run = toRun({ ...row, about_data: about.get(row.id) ?? row.about_data });
    const one = { flow, flowId: row.flow_id, version, run, dueAt: Number(row.wake_ms) };
    const events = asksOf(flow, run, { now, dueAt: one.dueAt });
    const known = people.get(row.person_id);
    if (known) {
      known.due.push(one);
      known.events.push(...events);
    } else people.set(row.person_id, { due: [one], events });
  }
  const facts = await loadFacts(trx, people, {
    ...factsNeeded([...running.values()]),
    onTheirWay: store.limits !== null && [...running.values()].some(({ document }) => planOf(document).sendsMarketing),
  });
  const offersNamed = [...new Set([...running.values()].flatMap(({ document }) => planOf(document).offersNamed))];
  for (const [offer, left] of await holdBounded(trx, offersNamed)) codesLeft.set(offer, left);
  const shared = [...new Set([...running.values()].flatMap(sharedOffersOf))];
  const sharers = await sharingOf(trx, [...people.keys()], shared);
  const armed = due.filter((row) => row.phase === 'armed');
  const earlier = await earlierRuns(
    trx,
    armed.map((row) => ({
      personId: row.person_id,
      flowId: row.flow_id,
      key: isPerPerson(running.get(`${row.flow_id}/${versionOf(row)}`)?.document.reentry ?? 'once') ? null : row.key,
    })),
  );

  const changes: RunChange[] = [];
  const sends: NewSend[] = [];
  const events: OwnEvent[] = [];
  const told: OwnEvent[] = [];
  const updates: FlowChange[] = [];
  const asks: NewAsk[] = [];
  const codes: CodeToIssue[] = [];
  const begun: Arming[] = [];
  for (const [personId, { due: own }] of people) {
    const known = facts.get(personId);
    if (!known) continue;
    const others = new Map(own.map(({ flowId }): [number, readonly EarlierRun[]] => [flowId, earlier.get(`${personId}/${flowId}`) ?? []]));
    const sharing = sharers.get(personId);
    for (const passed of advancePerson(own, sharing ? { ...known, sharers: sharing } : known, now, others)) {
      if ('error' in passed) setAside({ person_id: personId, id: passed.due.run.id }, passed.error);
      else {
        gather(passed, now, { changes, sends, events, told, updates, asks, begun, codes });
        for (const effect of passed.result.effects) {
          if (effect.kind !== 'code') continue;
          codesLeft.set(effect.offer, (codesLeft.get(effect.offer) ?? Infinity) - 1);
        }
      }
    }
  }
  await saveRuns(trx, changes);
  await parkRuns(trx, broken, now);
  await armRuns(trx, begun);
  await storeChanges(trx, updates, now);
  // what was recorded begins other flows, and wakes who waits for it
  await recordFor(trx, [...events, ...(await storeCodes(trx, codes, store, facts))], told);
  await queueDispatch(trx, await insertSends(trx, sends));
  for (const { id, kind } of await insertAsks(trx, asks, store.zone)) await addJobs(trx, kind, [{ id }], 15);
  return due.length;
}

/** How many may still enter a flow on the days on which runs are due; whoever else would let people in waits for this transaction. */
async function placesIn(trx: Sql, flowId: number, document: FlowDocument, due: readonly RunRow[], store: { now: Instant; zone: string }) {
  const wanted = due
    .filter((row) => row.flow_id === flowId && row.phase === 'armed')
    .map((row) => Math.min(Number(row.wake_ms), store.now));
  return wanted.length ? placesOf(document, store.zone, await enteredByDay(trx, flowId, Math.min(...wanted), store.zone)) : null;
}

/** Adds what became of a run to what is to be stored. */
function gather(
  { due, result }: Extract<Passed, { result: unknown }>,
  now: Instant,
  into: {
    changes: RunChange[];
    sends: NewSend[];
    events: OwnEvent[];
    told: OwnEvent[];
    updates: FlowChange[];
    asks: NewAsk[];
    begun: Arming[];
    codes: CodeToIssue[];
  },
): void {
  const { flow, flowId, version } = due as Due & { flowId: number; version: number };
  into.changes.push({ run: result.run, version, now, wakeAt: result.wake.at, wakesOn: result.wake.on, trace: result.trace });
  for (const effect of result.effects)
    if (effect.kind === 'send') into.sends.push({ run: result.run, flowId, version, effect, at: now });
    else if (isAsk(effect)) into.asks.push({ run: result.run, flowId, version, effect, at: now });
    else if (effect.kind === 'code') into.codes.push({ run: result.run, flowId, effect, at: now });
    else if (effect.kind === 'change')
      into.updates.push({
        personId: due.run.personId,
        flow: flow.key,
        change: effect.change,
        hops: hopsOf(result.run.about.data),
      });
    else {
      const { type, properties } = effect;
      into.events.push({ personId: due.run.personId, type, properties, eventId: effectName(due.run.id, effect), at: now });
    }
  for (const told of result.told) {
    const { type, properties, at } = told;
    into.told.push({ personId: due.run.personId, type, properties, eventId: effectName(due.run.id, told), at });
  }
  const { begins } = result;
  if (begins)
    into.begun.push({
      personId: due.run.personId,
      flowId,
      version,
      trigger: begins.trigger,
      key: begins.key,
      wakeAt: begins.at,
      armedAt: now,
      wakesOn: planOf(flow.document).wakesArmed,
    });
}

/** Whether anything is due at this moment of store time: runs, looks, occasions, what is to be told. */
export const isDue = async (db: Db): Promise<boolean> => isAnythingDue(db, (await readStore(db)).now);

/** Looks once at everybody who is to be looked at for segments and moves a batch of what is due. Answers with how much that was. */
export async function pass(db: Db): Promise<number> {
  let count = 0;
  for (const [, act] of BEFORE_RUNS) count += await act(db);
  return count + (await tick(db));
}

/** Passes over everything that is due until nothing is left. */
export async function drain(db: Db): Promise<number> {
  let moved = 0;
  for (;;) {
    const count = await pass(db);
    if (!count) return moved;
    moved += count;
  }
}
