import type { Instant } from '../time';
import { dependsOn, inOrder, signalsOf, verdict, withChange, type FactChange, type FactEvent, type Facts, type KnownFacts } from '../rules';
import { MESSAGE_SENT } from '../limits';
import { CODE_ISSUED } from '../offers';
import { changeName, changeOfProductTold, type ProductChange } from '../products';
import {
  advance,
  isAsk,
  armedRun,
  attributesHeard,
  beginsOn,
  canNeverStart,
  changeTold,
  clocksOf,
  codeTold,
  isPerPerson,
  eventUses,
  FLOW_DUE,
  ATTRIBUTE_CHANGED,
  flowBehind,
  hopsOf,
  isTimed,
  nextOccasion,
  occasionName,
  offerRulesOf,
  whoConcerns,
  whoIsDue,
  planOf,
  type AskKind,
  type Beginning,
  type EarlierRun,
  type Effect,
  type Run,
  type RunningFlow,
  type TraceEntry,
  type Trigger,
} from '../flows';
import { Heap } from './heap';

/** A flow under the virtual clock, on from `from`. */
export interface ReplayFlow extends RunningFlow {
  readonly key: string;
  readonly from: Instant;
  /** who came in before this did so as it stands on file (see {@link Bounds}): a run that would enter earlier is passed over */
  readonly enters?: Instant;
  /** how products have changed meanwhile, ascending */
  readonly products?: readonly ProductChange[];
}

/** A person as they were before the first event, and how what is known of them has changed since. */
export interface ReplayPerson {
  readonly id: string;
  readonly known: KnownFacts;
  /** ascending, with what brought them about where that is known */
  readonly changes: readonly (FactChange & { readonly cause?: string })[];
}

export interface ReplayedSend {
  readonly id: string;
  readonly flowKey: string;
  readonly run: Run;
  readonly effect: Extract<Effect, { kind: 'send' }>;
  readonly at: Instant;
}

/** What a run has asked to be done: by a server or a colleague, who may answer, or of others. */
export interface ReplayedAsk {
  readonly flowKey: string;
  readonly run: Run;
  readonly effect: Extract<Effect, { kind: AskKind }>;
  readonly at: Instant;
}

/** One that waits for an answer. */
export interface AnsweredAsk extends ReplayedAsk {
  readonly effect: Extract<Effect, { kind: 'call' | 'task' }>;
}

/** A code that has been issued. */
export interface ReplayedCode {
  readonly flowKey: string;
  readonly run: Run;
  readonly effect: Extract<Effect, { kind: 'code' }>;
  readonly at: Instant;
}

export interface ReplayedRun {
  readonly flowKey: string;
  readonly armedAt: Instant;
  /** which of the person's runs it is, in the order in which they began */
  readonly place: number;
  run: Run;
  wakeAt: Instant | null;
  wakesOn: readonly string[];
  readonly trace: TraceEntry[];
}

export interface Replayed {
  readonly runs: readonly ReplayedRun[];
  readonly sends: readonly ReplayedSend[];
  readonly asks: readonly ReplayedAsk[];
  readonly codes: readonly ReplayedCode[];
  /** what was put in and what the world did in answer, ascending */
  readonly events: readonly FactEvent[];
  readonly changes: readonly FactChange[];
  readonly known: KnownFacts;
  /** it was stopped before its end, because runs were moved too often */
  readonly isCut: boolean;
}

/** Numbers for what comes to be in a replay: above all that are on file. */
export function idsAboveAll(): () => string {
  let count = 0;
  return () => String(9e15 + (count += 1));
}

/** What the world does when a message goes out: events and changes at or after that moment. */
export interface Answered {
  readonly events?: readonly FactEvent[];
  readonly changes?: readonly FactChange[];
}
export type Reaction = (send: ReplayedSend, facts: Facts) => Answered;

/** A moment at which a trigger comes round that goes by the clock, or by a product that changes. */
interface Occasion {
  readonly at: Instant;
  readonly flow: ReplayFlow;
  readonly trigger: Extract<Trigger, { kind: 'schedule' | 'date' | 'product' }>;
  /** how the product has changed */
  readonly change?: ProductChange;
}

/** One flow's runs of the person, as arming and re-entry ask for them. */
interface Desk {
  readonly flow: ReplayFlow;
  /** what there was before the replay */
  readonly before: readonly EarlierRun[];
  readonly armed: Map<string, ReplayedRun>;
  /** runs that have entered, by key */
  readonly entered: Map<string, ReplayedRun[]>;
}

/** What a replay begins with, and how far it may go. */
export interface Bounds {
  /** runs that the person has had before, by flow: re-entry counts them */
  readonly earlier?: ReadonlyMap<string, readonly EarlierRun[]>;
  /** how often runs are moved and messages sent at most: beyond it the replay stops */
  readonly most?: number;
  /** what is answered outside to what runs ask; where it is left out, what is on file alone answers */
  readonly answer?: (ask: AnsweredAsk) => Answered;
}
const NOTHING_BEFORE: ReadonlyMap<string, readonly EarlierRun[]> = new Map();

/**
 * Runs flows over one person's events and changes on a virtual clock, by the very code that runs them for real. Events are
 * ascending by time and id. People do not touch each other, so a population is replayed person by person.
 */
export function replayPerson(
  flows: readonly ReplayFlow[],
  person: ReplayPerson,
  events: readonly FactEvent[],
  until: Instant,
  nextId: () => string,
  react?: Reaction,
  { earlier = NOTHING_BEFORE, most = Infinity, answer: outside }: Bounds = {},
): Replayed {
  const past: FactEvent[] = [];
  const changes: FactChange[] = [];
  const runs: ReplayedRun[] = [];
  const sends: ReplayedSend[] = [];
  const asks: ReplayedAsk[] = [];
  const codes: ReplayedCode[] = [];
  const desks = new Map(
    flows.map((flow): [string, Desk] => [flow.key, { flow, before: earlier.get(flow.key) ?? [], armed: new Map(), entered: new Map() }]),
  );
  /** runs that may still move */
  const open = new Set<ReplayedRun>();
  /** runs that stand on file already */
  const passedOver = new Set<ReplayedRun>();
  const answers = new Heap<FactEvent>((a, b) => inOrder(a, b) < 0);
  const answeredChanges = new Heap<FactChange>((a, b) => a.at < b.at);
  // a run that has been given another moment stands here twice: the older entry is passed over
  // at one moment in the order in which they began; who was woken by a change then looks after the others
  const due = new Heap<{ at: Instant; rank: number; order: number; entry: ReplayedRun }>(
    (a, b) => a.at < b.at || (a.at === b.at && (a.rank < b.rank || (a.rank === b.rank && a.order < b.order))),
  );
  const heard = attributesHeard(flows.map(({ document }) => document));
  let known = person.known;
  let facts: Facts = { personId: person.id, ...known, events: past };
  let head = 0;
  let changeHead = 0;
  let wakings = 0;

  const wakeAt = (entry: ReplayedRun, at: Instant | null, rank = 0): void => {
    entry.wakeAt = at;
    if (at !== null) due.push({ at, rank, order: entry.place, entry });
  };
  const arm = (desk: Desk, { trigger, key, at }: Beginning, now: Instant): void => {
    const id = `${trigger} ${key}`;
    const armed = desk.armed.get(id);
    if (armed) {
      if (armed.wakeAt === null || at < armed.wakeAt) wakeAt(armed, at);
      return;
    }
    if (canNeverStart(desk.flow.document.reentry, earlierOf(desk, key), key)) return;
    const entry: ReplayedRun = {
      flowKey: desk.flow.key,
      armedAt: now,
      place: runs.length,
      run: armedRun(nextId(), person.id, { trigger, key }),
      wakeAt: null,
      wakesOn: planOf(desk.flow.document).wakesArmed,
      trace: [],
    };
    desk.armed.set(id, entry);
    runs.push(entry);
    open.add(entry);
    wakeAt(entry, at);
  };
  let moves = 0;
  const move = (entry: ReplayedRun, now: Instant): void => {
    moves += 1;
    const desk = desks.get(entry.flowKey)!;
    const before = entry.run;
    const result = advance(
      desk.flow,
      before,
      facts,
      { now, dueAt: now },
      before.phase === 'armed' ? earlierOf(desk, before.about.key) : [],
    );
    if (before.phase === 'armed' && result.run.enteredAt !== null && result.run.enteredAt < (desk.flow.enters ?? -Infinity)) {
      desk.armed.delete(`${before.about.trigger} ${before.about.key}`);
      open.delete(entry);
      passedOver.add(entry);
      return;
    }
    entry.run = result.run;
    if (before.enteredAt === null && result.run.enteredAt !== null) desk.flow.places?.take(result.run.enteredAt);
    entry.wakesOn = result.wake.on;
    wakeAt(entry, result.wake.at);
    entry.trace.push(...result.trace);
    const { key, trigger } = before.about;
    if (before.phase === 'armed' && result.run.phase !== 'armed') {
      desk.armed.delete(`${trigger} ${key}`);
      if (result.run.enteredAt !== null) {
        const own = desk.entered.get(key);
        if (own) own.push(entry);
        else desk.entered.set(key, [entry]);
      }
    }
    if (result.run.phase === 'ended') open.delete(entry);
    // what one passage changes is known all at once, and before its messages go out
    const changed = result.effects.flatMap((effect) => (effect.kind === 'change' ? [effect.change] : []));
    for (const change of changed) {
      changes.push(change);
      known = withChange(known, change);
      if (change.kind === 'attribute') dayChanged(change.name, now);
      if (change.kind !== 'attribute' || !heard.has(change.name)) continue;
      const told = changeTold(change, { flow: entry.flowKey, hops: hopsOf(entry.run.about.data) });
      if (told) answers.push({ id: nextId(), time: now, ...told });
    }
    if (changed.length) facts = { personId: person.id, ...known, events: past };
    for (const effect of result.effects) {
      if (effect.kind === 'event') {
        answers.push({ id: nextId(), type: effect.type, time: now, properties: effect.properties });
        continue;
      }
      if (effect.kind === 'change') continue;
      if (effect.kind === 'code') {
        codes.push({ flowKey: entry.flowKey, run: entry.run, effect, at: now });
        answers.push({ id: nextId(), type: CODE_ISSUED, time: now, properties: codeTold(effect, effect.stepId) });
        continue;
      }
      if (isAsk(effect)) {
        const ask = { flowKey: entry.flowKey, run: entry.run, at: now };
        asks.push({ ...ask, effect });
        if (effect.kind === 'call' || effect.kind === 'task')
          for (const event of outside?.({ ...ask, effect }).events ?? []) answers.push(event);
        continue;
      }
      const send: ReplayedSend = { id: nextId(), flowKey: entry.flowKey, run: entry.run, effect, at: now };
      sends.push(send);
      const { marketing, channel, stepId } = effect;
      const about = { sendId: send.id, flow: entry.flowKey, step: stepId, channel, kind: marketing ? 'marketing' : 'service' };
      answers.push({ id: nextId(), type: MESSAGE_SENT, time: now, properties: about });
      const answered = react?.(send, facts);
      for (const event of answered?.events ?? []) answers.push(event);
      for (const change of answered?.changes ?? []) answeredChanges.push(change);
    }
    for (const { type, at, properties } of result.told) answers.push({ id: nextId(), type, time: at, properties });
    if (result.begins) arm(desk, result.begins, now);
    if (changed.length) hear(changed.flatMap(signalsOf), now, false);
  };
  /** Wakes who waits for it: they look when all of this moment has happened and is known. */
  const hear = (signals: readonly string[], now: Instant, isEvent: boolean): void => {
    for (const entry of open) {
      if (!signals.some((signal) => entry.wakesOn.includes(signal))) continue;
      if (isEvent) entry.run = { ...entry.run, isDoubtful: true };
      if (entry.wakeAt === null || entry.wakeAt > now) wakeAt(entry, now, isEvent ? 0 : (wakings += 1));
    }
  };
  const learn = (change: FactChange & { readonly cause?: string }): void => {
    changes.push(change);
    known = withChange(known, change);
    facts = { personId: person.id, ...known, events: past };
    hear(signalsOf(change), change.at, false);
    if (change.kind === 'attribute') dayChanged(change.name, change.at);
    if (change.kind !== 'attribute' || !heard.has(change.name)) return;
    const flow = change.cause === undefined ? undefined : flowBehind(change.cause);
    const told = changeTold(change, flow === undefined ? undefined : { flow, hops: 1 });
    if (told) answers.push({ id: nextId(), time: change.at, ...told });
  };
  // occasions of triggers that go by the clock: each is looked at for this person when it is there
  const occasions = new Heap<Occasion>((a, b) => a.at < b.at);
  const expect = (flow: ReplayFlow, trigger: Exclude<Occasion['trigger'], { kind: 'product' }>, after: Instant): void => {
    const at = occasionAfter(trigger, after, clocksOf(trigger, known.attributes, flow.zone));
    if (at !== null && at <= until) occasions.push({ at, flow, trigger });
  };
  for (const { flow } of desks.values())
    for (const trigger of flow.document.triggers)
      if (isTimed(trigger)) expect(flow, trigger, flow.from - 1);
      else if (trigger.kind === 'product')
        for (const change of flow.products ?? [])
          if (change.type === trigger.event && change.at >= flow.from && change.at <= until)
            occasions.push({ at: change.at, flow, trigger, change });
  const come = new Set<string>();
  /** Another day stands on file: occasions may be theirs that were passed over. */
  const dayChanged = (name: string, at: Instant): void => {
    for (const { flow } of desks.values())
      for (const trigger of flow.document.triggers) if (trigger.kind === 'date' && trigger.name === name) expect(flow, trigger, at - 1);
  };
  const comeRound = ({ at, flow, trigger, change }: Occasion): void => {
    const who = trigger.kind === 'product' ? whoConcerns(trigger, change!.product) : whoIsDue(trigger);
    const zone = trigger.kind === 'product' ? flow.zone : clocksOf(trigger, known.attributes, flow.zone);
    const view = { now: at, zone, ...(flow.world && { world: flow.world }) };
    const { holds, until: turns } = who ? verdict(who, facts, view) : { holds: true, until: null };
    // of a day on file nothing but that day decides: until it comes, or another stands there, no occasion is theirs
    if (trigger.kind === 'date' && !holds) {
      if (turns !== null) expect(flow, trigger, Math.max(at, turns - 1));
    } else if (trigger.kind !== 'product') expect(flow, trigger, at);
    if (!holds) return;
    // a day that has been changed may have been waited for twice
    if (trigger.kind === 'date') {
      const name = `${flow.key}/${trigger.id}/${at}`;
      if (come.has(name)) return;
      come.add(name);
    }
    const about = { to: flow.key, trigger: trigger.id };
    if (change)
      happen({
        id: nextId(),
        type: change.type,
        time: at,
        properties: { ...changeOfProductTold(change), ...about, change: changeName(change) },
      });
    else
      happen({
        id: nextId(),
        type: FLOW_DUE,
        time: at,
        properties: { ...about, occasion: occasionName(at, trigger.kind === 'product' ? {} : trigger, zone) },
      });
  };
  const happen = (event: FactEvent): void => {
    past.push(event);
    for (const desk of desks.values()) {
      if (event.time < desk.flow.from) continue;
      for (const beginning of beginsOn(desk.flow, event, event.time)) arm(desk, beginning, event.time);
    }
    hear([event.type], event.time, true);
  };

  while (moves + sends.length < most) {
    while (due.first && due.first.entry.wakeAt !== due.first.at) due.pop();
    const told = events[head];
    const answer = answers.first;
    const event = answer && (!told || inOrder(answer, told) < 0) ? answer : told;
    const toldChange = person.changes[changeHead];
    const answeredChange = answeredChanges.first;
    const change = answeredChange && (!toldChange || answeredChange.at < toldChange.at) ? answeredChange : toldChange;
    const waking = due.first?.at ?? Infinity;
    const occasion = occasions.first;
    // at one moment: first what became known, then what happened, then whose time has come, then who was due
    if (
      change &&
      change.at <= until &&
      change.at <= waking &&
      change.at <= (event?.time ?? Infinity) &&
      change.at <= (occasion?.at ?? Infinity)
    ) {
      if (change === answeredChange) answeredChanges.pop();
      else changeHead += 1;
      learn(change);
    } else if (event && event.time <= until && event.time <= waking && event.time <= (occasion?.at ?? Infinity)) {
      if (event === answer) answers.pop();
      else head += 1;
      happen(event);
    } else if (occasion && occasion.at <= waking) {
      comeRound(occasions.pop()!);
    } else if (waking <= until) {
      const { entry } = due.pop()!;
      entry.wakeAt = null;
      move(entry, waking);
    } else break;
  }
  return {
    runs: runs.filter((entry) => !passedOver.has(entry)),
    sends,
    asks,
    codes,
    events: past,
    changes,
    known,
    isCut: moves + sends.length >= most,
  };
}

// when a trigger comes round is the same for everybody: it is looked up once, not person by person
const rounds = new WeakMap<object, Map<string, Instant | null>>();
const MOST_ROUNDS = 10_000;
function occasionAfter(trigger: Parameters<typeof nextOccasion>[0], after: Instant, zone: string): Instant | null {
  let known = rounds.get(trigger);
  if (!known) rounds.set(trigger, (known = new Map<string, Instant | null>()));
  const id = `${zone} ${after}`;
  let at = known.get(id);
  if (at === undefined) {
    at = nextOccasion(trigger, after, zone);
    if (known.size >= MOST_ROUNDS) known.clear();
    known.set(id, at);
  }
  return at;
}

/** The runs that re-entry asks for: those under a key, or all where it is once a person. */
function earlierOf(desk: Desk, key: string): EarlierRun[] {
  const asked = isPerPerson(desk.flow.document.reentry) ? [...desk.entered.values()].flat() : (desk.entered.get(key) ?? []);
  const before = isPerPerson(desk.flow.document.reentry) ? desk.before : desk.before.filter((run) => run.key === key);
  return [
    ...before,
    ...asked.map(({ run }) => ({
      id: run.id,
      key: run.about.key,
      phase: run.phase,
      outcome: run.outcome,
      enteredAt: run.enteredAt,
      effects: run.effects,
    })),
  ];
}

/** The event types that a set of flows looks at: what a caller has to load for a replay. */
export function replayNeeds(flows: readonly Pick<ReplayFlow, 'key' | 'document' | 'limits' | 'offers'>[]): string[] {
  const types = flows.flatMap(({ key, document, limits, offers }) => [
    ...eventUses(document).map(({ type }) => type),
    ...document.triggers.flatMap((trigger) =>
      trigger.kind === 'product'
        ? dependsOn([whoConcerns(trigger, { sku: '', categories: [''] })]).flatMap((need) => (need.kind === 'event' ? [need.name] : []))
        : [],
    ),
    ...dependsOn(offerRulesOf({ key, document, ...(offers && { offers }) })).flatMap((need) => (need.kind === 'event' ? [need.name] : [])),
    ...(limits && planOf(document).sendsMarketing ? [MESSAGE_SENT] : []),
  ]);
  // what is told of changes is told anew, and so it is of products where they start a flow
  const anew: readonly string[] = [
    ATTRIBUTE_CHANGED,
    ...flows.flatMap(({ document }) => document.triggers.flatMap((one) => (one.kind === 'product' ? [one.event] : []))),
  ];
  return [...new Set(types)].filter((type) => !anew.includes(type)).sort();
}
