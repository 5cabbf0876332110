import type { RehearsalView } from '../api';
import {
  answeredOf,
  codeHeld,
  messageOf,
  planOf,
  sayStep,
  sayTrace,
  type EarlierRun,
  type FlowDocument,
  type RehearsedPerson,
  type Run,
  type RunningFlow,
} from '../flows';
import type { Limits } from '../limits';
import { personalise, personalOf, renderText, type Message, type Personal, type Rendered } from '../messages';
import { codeOf, offerWords, prefixFor, type Offers } from '../offers';
import { lotOf } from '../stats';
import { answersOf, eventsOfRehearsal, idsAboveAll, knownOf, outsideOf, replayPerson, type Replayed } from '../replay';
import type { FactEvent, KnownFacts, World } from '../rules';
import type { Tables } from '../tables';
import { DAY, type Instant } from '../time';

/** What a rehearsal knows of the store. */
export interface RehearsalStore {
  readonly name: string;
  readonly address: string;
  readonly currency: string;
  readonly zone: string;
  readonly languages?: readonly string[];
  readonly now: Instant;
  readonly world: World;
  readonly limits: Limits | null;
  readonly offers: Offers;
  readonly tables: Tables;
}

/** What is on file about somebody who is sent through: what is known, what happened, and the runs of this flow that they have had. */
export interface OnFile {
  readonly personId: string;
  readonly known: KnownFacts;
  readonly history: readonly FactEvent[];
  readonly earlier: readonly EarlierRun[];
}

/** How long a rehearsal goes on after the last thing that happens in it, and how far it may reach at all. */
const RUNS_ON_MS = 90 * DAY;
const FURTHEST_MS = 800 * DAY;
/** How often runs are moved in a rehearsal at most. */
const MOST_MOVES = 1_000;
type Person = RehearsalView['people'][number];
/** What came of one person's rehearsal. Letters are told with what fills them: laying them out is nothing that core does. */
export type Rehearsed = Omit<Person, 'sends'> & {
  readonly sends: readonly (Person['sends'][number] & { readonly message: Message; readonly personal: Personal })[];
};

/** What of a message can be told without laying it out: all of a text, the subject of a letter. */
function headOfSend(message: Message, personal: Personal): Rendered & { problem?: string } {
  try {
    return message.channel === 'email'
      ? {
          subject: personalise(message.subject, personal)
            .replace(/[\r\n]+/g, ' ')
            .trim(),
          html: '',
          text: '',
        }
      : renderText(message, personal, { track: (url) => url });
  } catch (error) {
    return {
      subject: '',
      html: '',
      text: '',
      problem: `the message cannot be put together: ${(error as Error).message.split('\n')[0]!.slice(0, 200)}`,
    };
  }
}

/** What is told of a rehearsal that cannot be held: the field, what is wrong, what would be right. */
export interface RehearsalProblem {
  readonly field: string;
  readonly wrong: string;
  readonly right: string;
}

/**
 * Sends one person through a flow on a virtual clock that begins at the store's present, by the code that runs it for real. The same
 * on the server and in the browser: given the same facts, the same comes of it.
 */
export function rehearsePerson(
  key: string,
  document: FlowDocument,
  one: RehearsedPerson,
  store: RehearsalStore,
  /** whom it is about; left out for somebody made up */
  onFile?: OnFile,
): Rehearsed | { readonly problems: readonly RehearsalProblem[] } {
  if (one.person && one.madeUp) return { problems: [{ field: 'madeUp', wrong: 'stands beside a person', right: 'one of the two' }] };
  const nextId = idsAboveAll();
  const { now, zone } = store;
  const flow: RunningFlow = {
    key,
    document,
    isOn: true,
    zone,
    world: store.world,
    // made up people stand for those who may be written to
    limits: store.limits && { ...store.limits, control: null },
    offers: store.offers,
    tables: store.tables,
  };
  const given = eventsOfRehearsal(one.events, now, zone, nextId);
  const early = given.find((event) => event.time < now);
  if (early)
    return {
      problems: [
        { field: 'events', wrong: `tells ${early.type} before the rehearsal begins`, right: `from ${new Date(now).toISOString()} on` },
      ],
    };
  const last = given.at(-1)?.time ?? now;
  const until = Math.min(one.until === undefined ? last + RUNS_ON_MS : Date.parse(one.until), now + FURTHEST_MS);
  const who = onFile ?? { personId: '0', known: knownOf(one.madeUp ?? {}, now), history: [], earlier: [] };
  const answer = answersOf(one, zone, nextId);
  const asSent = new Map<string, KnownFacts['attributes']>();
  const replayed = replayPerson(
    [{ ...flow, from: now }],
    { id: who.personId, known: who.known, changes: [] },
    [...who.history, ...given],
    until,
    nextId,
    (send, facts) => {
      asSent.set(send.id, facts.attributes);
      return answer(send);
    },
    { earlier: new Map([[key, [...who.earlier]]]), most: MOST_MOVES, answer: outsideOf(one, zone, nextId) },
  );
  return viewOf(replayed, flow, store, until, asSent);
}

function viewOf(
  replayed: Replayed,
  flow: RunningFlow,
  store: RehearsalStore,
  until: Instant,
  /** what was on file about them as each message went out */
  asSent: ReadonlyMap<string, KnownFacts['attributes']>,
): Rehearsed {
  const { document } = flow;
  const { steps } = planOf(document);
  const iso = (at: Instant) => new Date(at).toISOString();
  return {
    runs: replayed.runs.map(({ run, wakeAt, trace }) => ({
      trigger: run.about.trigger,
      key: run.about.key,
      phase: run.phase,
      outcome: run.outcome,
      armedAt: run.about.at === null ? null : iso(run.about.at),
      enteredAt: run.enteredAt === null ? null : iso(run.enteredAt),
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
      const message = messageOf(step, send.effect.content);
      const personal = personalOf(
        asSent.get(send.id)!,
        send.run.about.data,
        store,
        answeredOf(send.run.answers),
        madeUpCode(send.run, asSent.get(send.id)!, flow, store),
        send.effect.holds,
      );
      return {
        at: iso(send.at),
        step: step.id,
        name: step.name,
        channel: step.message.channel,
        ...headOfSend(message, personal),
        message,
        personal,
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
function madeUpCode(run: Run, attributes: KnownFacts['attributes'], flow: RunningFlow, store: RehearsalStore): Personal['offer'] {
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
