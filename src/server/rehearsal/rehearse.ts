import { z } from 'zod';
import type { RehearsalView } from '@/core/api';
import {
  codeHeld,
  factsNeeded,
  flowSchema,
  lotOf,
  messageOf,
  planOf,
  rehearsalShape,
  sayTrace,
  sayStep,
  type EarlierRun,
  type FlowDocument,
  type RehearsedPerson,
  type Run,
  type RunningFlow,
} from '@/core/flows';
import { answersOf, eventsOfRehearsal, idsAboveAll, knownOf, outsideOf, replayNeeds, replayPerson, type Replayed } from '@/core/replay';
import type { Personal } from '@/core/messages';
import { codeOf } from '@/core/offers';
import type { FactEvent, KnownFacts } from '@/core/rules';
import { DAY, type Instant } from '@/core/time';
import type { Db } from '@/data/db';
import { findFlow, runsIn } from '@/data/flows';
import { loadEvents, loadFacts } from '@/data/rules';
import { readStore, type StoreNow } from '@/data/store';
import { versionOf } from '../flows';
import { notFound, Problem, problemsOf } from '../http';
import { answeredOf, offerWords, personalOf, tryRender } from '../messages';
import { prefixFor } from '../codes';
import { personOf } from '../people';

const rehearsalInput = z.union([
  z.strictObject({ document: z.unknown().optional(), version: z.int().min(1).optional(), ...rehearsalShape }),
  z.strictObject({
    document: z.unknown().optional(),
    version: z.int().min(1).optional(),
    people: z.array(z.strictObject(rehearsalShape)).min(1).max(12),
  }),
]);

/** How long a rehearsal goes on after the last thing that happens in it, and how far it may reach at all. */
const RUNS_ON_MS = 90 * DAY;
const FURTHEST_MS = 800 * DAY;
/** How often runs are moved in a rehearsal at most. */
const MOST_MOVES = 1_000;
const LINKS = {
  unsubscribeUrl: 'https://store.example/leave',
  preferencesUrl: 'https://store.example/preferences',
  pixelUrl: null,
  track: (url: string) => url,
};

/** The document that is asked for: one given, a version, or the draft. */
export async function documentOf(db: Db, key: string, asked: { document?: unknown; version?: number | undefined }): Promise<FlowDocument> {
  if (asked.document !== undefined) {
    const parsed = flowSchema.safeParse(asked.document);
    if (!parsed.success) throw new Problem(422, 'Not a flow', 'Nothing was rehearsed.', problemsOf(parsed.error));
    return parsed.data;
  }
  if (asked.version !== undefined) return versionOf(db, key, String(asked.version));
  const flow = await findFlow(db, key);
  if (!flow) throw notFound(`flow "${key.slice(0, 60)}"`);
  return flow.draft;
}

/**
 * Sends people through a flow on a virtual clock that begins now, by the code that runs it for real; nothing leaves the house and
 * nothing is stored. Of somebody on file their history counts, and the runs that they have had.
 */
export async function rehearse(db: Db, key: string, body: unknown): Promise<RehearsalView> {
  const parsed = rehearsalInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a rehearsal', 'Nothing was rehearsed.', problemsOf(parsed.error));
  const { data } = parsed;
  const document = await documentOf(db, key, data);
  const store = await readStore(db);
  const flow: RunningFlow = {
    key,
    document,
    isOn: true,
    zone: store.zone,
    world: store.world,
    limits: store.limits,
    offers: store.offers,
    tables: store.tables,
  };
  const people: RehearsalView['people'][number][] = [];
  for (const one of 'people' in data ? data.people : [data]) people.push(await rehearseOne(db, flow, one, store));
  return { now: new Date(store.now).toISOString(), people };
}

async function rehearseOne(db: Db, flow: RunningFlow, one: RehearsedPerson, store: StoreNow): Promise<RehearsalView['people'][number]> {
  if (one.person && one.madeUp)
    throw new Problem(422, 'Not a rehearsal', 'Nothing was rehearsed.', [
      { field: 'madeUp', wrong: 'stands beside a person', right: 'one of the two' },
    ]);
  const nextId = idsAboveAll();
  const { now, zone } = store;
  const given = eventsOfRehearsal(one.events, now, zone, nextId);
  const early = given.find((event) => event.time < now);
  if (early)
    throw new Problem(422, 'Not a rehearsal', 'Nothing was rehearsed.', [
      { field: 'events', wrong: `tells ${early.type} before the rehearsal begins`, right: `from ${new Date(now).toISOString()} on` },
    ]);
  const last = given.at(-1)?.time ?? now;
  const until = Math.min(one.until === undefined ? last + RUNS_ON_MS : Date.parse(one.until), now + FURTHEST_MS);
  const { personId, known, history, earlier } = one.person
    ? await onFile(db, flow, one.person)
    : { personId: '0', known: knownOf(one.madeUp ?? {}, now), history: [], earlier: [] };
  const answer = answersOf(one, zone, nextId);
  const asSent = new Map<string, KnownFacts['attributes']>();
  const replayed = replayPerson(
    [{ ...flow, from: now }],
    { id: personId, known, changes: [] },
    [...history, ...given],
    until,
    nextId,
    (send, facts) => {
      asSent.set(send.id, facts.attributes);
      return answer(send);
    },
    { earlier: new Map([[flow.key, earlier]]), most: MOST_MOVES, answer: outsideOf(one, zone, nextId) },
  );
  return viewOf(replayed, flow, store, until, asSent);
}

async function onFile(
  db: Db,
  flow: RunningFlow,
  id: string,
): Promise<{ personId: string; known: KnownFacts; history: FactEvent[]; earlier: EarlierRun[] }> {
  const person = await personOf(db, id);
  const facts = (await loadFacts(db, new Map([[person.id, { events: [] }]]), factsNeeded([flow]))).get(person.id);
  if (!facts) throw notFound(`person "${id.slice(0, 60)}"`);
  const { personId, events: _, ...known } = facts;
  const history = (await loadEvents(db, [person.id], replayNeeds([flow]))).get(person.id) ?? [];
  const row = await findFlow(db, flow.key);
  return { personId, known, history, earlier: row ? await runsIn(db, person.id, row.id) : [] };
}

function viewOf(
  replayed: Replayed,
  flow: RunningFlow,
  store: StoreNow,
  until: Instant,
  /** what was on file about them as each message went out */
  asSent: ReadonlyMap<string, KnownFacts['attributes']>,
): RehearsalView['people'][number] {
  const { document } = flow;
  const { steps } = planOf(document);
  const iso = (at: Instant) => new Date(at).toISOString();
  return {
    runs: replayed.runs.map(({ run, wakeAt, trace }) => ({
      trigger: run.about.trigger,
      key: run.about.key,
      phase: run.phase,
      outcome: run.outcome,
      goalAt: run.goalAt === null ? null : iso(run.goalAt),
      trace: trace.map((entry) => ({
        at: iso(entry.at),
        step: entry.stepId,
        kind: entry.kind,
        ...sayTrace(entry, { trigger: run.about.trigger, key: run.about.key }, document, store),
      })),
      next: wakeAt === null ? null : { at: iso(wakeAt), says: run.step ? sayStep(steps.get(run.step)!) : 'watches for its goal' },
    })),
    sends: replayed.sends.map((send) => {
      const step = steps.get(send.effect.stepId);
      if (step?.kind !== 'send') throw new Error(`${send.effect.stepId} sends nothing`);
      const rendered = tryRender(
        messageOf(step, send.effect.content),
        personalOf(
          asSent.get(send.id)!,
          send.run.about.data,
          store,
          answeredOf(send.run.answers),
          madeUpCode(send.run, asSent.get(send.id)!, flow, store),
        ),
        LINKS,
      );
      return {
        at: iso(send.at),
        step: step.id,
        name: step.name,
        channel: step.message.channel,
        ...('problem' in rendered ? { subject: '', html: '', text: '', problem: rendered.problem } : rendered),
      };
    }),
    calls: replayed.asks.map(({ effect, at }) => {
      const step = steps.get(effect.stepId);
      return { at: iso(at), step: effect.stepId, kind: effect.kind, name: step && 'name' in step ? step.name : effect.stepId };
    }),
    codes: replayed.codes.map(({ run, effect, at }) => ({
      at: iso(at),
      step: effect.stepId,
      offer: effect.offer,
      says: store.offers.get(effect.offer)?.name ?? effect.offer,
      expiresAt: effect.expiresAt === null ? null : iso(effect.expiresAt),
      code: madeUpCode(run, replayed.known.attributes, flow, store)?.code ?? '',
    })),
    events: replayed.events
      .filter((event) => event.time >= store.now)
      .map(({ type, time, properties }) => ({ at: iso(time), type, data: properties })),
    known: { attributes: replayed.known.attributes, tags: replayed.known.tags, lists: replayed.known.lists },
    until: iso(until),
    isCut: replayed.isCut,
  };
}

/** A code as a rehearsal shows it: of the form that its offer has, and the same each time. */
function madeUpCode(run: Run, attributes: KnownFacts['attributes'], flow: RunningFlow, store: StoreNow): Personal['offer'] {
  const held = codeHeld(run.answers);
  const offer = held && store.offers.get(held.offer);
  if (!offer) return undefined;
  let draws = 0;
  const draw = (below: number) =>
    Math.floor(lotOf({ flow: flow.key, personId: run.personId, stepId: held.step, key: `letter ${(draws += 1)}` }) * below);
  const letters = 'letters' in offer.code ? offer.code.letters : 8;
  const code = codeOf(prefixFor(offer, attributes, store), letters, draw);
  return offerWords(code, offer, held.expiresAt === null ? null : new Date(held.expiresAt), store.zone);
}
