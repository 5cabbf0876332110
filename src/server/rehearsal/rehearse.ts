import * as z from 'zod';
import type { RehearsalView } from '@/core/api';
import { factsNeeded, flowSchema, rehearsalShape, stepsOf, type FlowDocument, type RunningFlow } from '@/core/flows';
import { packed, rehearsePerson, sampleEvent, type OnFile, type Rehearsed, type RehearsalFacts } from '@/core/rehearsal';
import { replayNeeds } from '@/core/replay';
import type { Db } from '@/data/db';
import { findFlow, runsIn } from '@/data/flows';
import { loadEvents, loadFacts } from '@/data/rules';
import { readStore, type StoreNow } from '@/data/store';
import { versionOf } from '../flows';
import { findForLetters, readBrands, tryRender } from '../letters';
import type { Email } from '@/core/messages';
import { notFound, Problem, problemsOf } from '../http';
import { personOf } from '../people';

const rehearsalInput = z.union([
  z.strictObject({ document: z.unknown().optional(), version: z.int().min(1).optional(), ...rehearsalShape }),
  z.strictObject({
    document: z.unknown().optional(),
    version: z.int().min(1).optional(),
    people: z.array(z.strictObject(rehearsalShape)).min(1).max(12),
  }),
]);

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
  const people: Rehearsed[] = [];
  for (const one of 'people' in data ? data.people : [data]) {
    const came = rehearsePerson(
      key,
      document,
      one,
      store,
      one.person && !one.madeUp ? await onFile(db, key, document, one.person, store) : undefined,
    );
    if ('problems' in came) throw new Problem(422, 'Not a rehearsal', 'Nothing was rehearsed.', [...came.problems]);
    people.push(came);
  }
  const brands = await readBrands(db, store.name);
  return {
    now: new Date(store.now).toISOString(),
    people: await Promise.all(
      people.map(async (one) => ({
        ...one,
        sends: await Promise.all(
          one.sends.map(async ({ message, personal, ...send }) => {
            if (send.channel !== 'email') return send;
            const about = [{ personId: null, email: message as Email, about: personal.event }];
            const [found] = await findForLetters(db, about, store.now);
            return { ...send, ...(await tryRender(message, personal, LINKS, { brands, found })) };
          }),
        ),
      })),
    ),
  };
}

const LINKS = {
  unsubscribeUrl: 'https://store.example/leave',
  preferencesUrl: 'https://store.example/preferences',
  pixelUrl: null,
  track: (url: string) => url,
};

/**
 * What a rehearsal has to know, so that it can be held in the browser: the store's present, limits, offers and tables that the draft
 * names, and of somebody on file what is known of them.
 */
export async function rehearsalFacts(db: Db, key: string, person: string | null): Promise<unknown> {
  const flow = await findFlow(db, key);
  if (!flow) throw notFound(`flow "${key.slice(0, 60)}"`);
  const { name, address, currency, zone, now, world, limits, offers, ...store } = await readStore(db);
  // a table can be long: only those that the draft looks into
  const named = new Set(stepsOf(flow.draft).flatMap((step) => (step.kind === 'lookup' ? [step.table] : [])));
  const tables = new Map([...store.tables].filter(([table]) => named.has(table)));
  const facts: RehearsalFacts = {
    store: { name, address, currency, zone, now, world, limits, offers, tables },
    ...(person !== null && { onFile: await onFile(db, key, flow.draft, person, { zone, world, limits, offers, tables }) }),
  };
  return packed(facts);
}

async function onFile(
  db: Db,
  key: string,
  document: FlowDocument,
  id: string,
  { zone, world, limits, offers, tables }: Pick<StoreNow, 'zone' | 'world' | 'limits' | 'offers' | 'tables'>,
): Promise<OnFile> {
  const flow: RunningFlow = { key, document, isOn: true, zone, world, limits, offers, tables };
  const person = await personOf(db, id);
  const facts = (await loadFacts(db, new Map([[person.id, { events: [] }]]), factsNeeded([flow]))).get(person.id);
  if (!facts) throw notFound(`person "${id.slice(0, 60)}"`);
  const { personId, events: _, ...known } = facts;
  const history = (await loadEvents(db, [person.id], replayNeeds([flow]))).get(person.id) ?? [];
  const row = await findFlow(db, key);
  return { personId, known, history, earlier: row ? await runsIn(db, person.id, row.id) : [] };
}

/**
 * The first message that somebody would get for whom the published flow begins now, and when: as a rehearsal of somebody plain knows it,
 * with the store's hours and limits; null where nothing of it is a message, or where it begins by something else than an event.
 */
export async function firstMessage(db: Db, key: string, document: FlowDocument): Promise<{ at: string; name: string } | null> {
  const store = await readStore(db);
  const { type, data } = sampleEvent(document);
  // who stands in a control group gets nothing: this is about the others
  const { control: _, ...open } = document;
  const came = rehearsePerson(key, open, { madeUp: {}, events: [{ type, after: 'PT1S', data: { ...data } }] }, store);
  if ('problems' in came) return null;
  const [first] = came.sends;
  return first ? { at: first.at, name: first.name } : null;
}
