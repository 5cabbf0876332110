import type { Instant } from '../time';
import { CONSENT_CHANGED, factsOf, type FactEvent, type Facts, type Reach, type Value } from '../rules';
import { advance, armedRun, mayNotStartBecause, planOf, startsOn, type Effect, type Run, type RunningFlow, type TraceEntry } from '../flows';

/** A flow under the virtual clock, on from `from`. */
export interface ReplayFlow extends RunningFlow {
  readonly key: string;
  readonly from: Instant;
}

/** A person as they were before the first event. */
export interface ReplayPerson {
  readonly id: string;
  readonly attributes: { readonly [name: string]: Value };
  readonly reach: Reach;
}

export interface ReplayedSend {
  readonly id: string;
  readonly flowKey: string;
  readonly run: Run;
  readonly effect: Effect;
  readonly at: Instant;
}

export interface ReplayedRun {
  readonly flowKey: string;
  readonly armedAt: Instant;
  run: Run;
  wakeAt: Instant | null;
  wakesOn: readonly string[];
  readonly trace: TraceEntry[];
}

export interface Replayed {
  readonly runs: readonly ReplayedRun[];
  readonly sends: readonly ReplayedSend[];
  /** what was put in and what the world did in answer, ascending */
  readonly events: readonly FactEvent[];
  readonly reach: Reach;
}

/** What the world does when a message goes out: events at or after that moment. */
export type Reaction = (send: ReplayedSend, facts: Facts) => readonly FactEvent[];

/**
 * Runs flows over one person's events on a virtual clock, by the very code that runs them for real.
 * People do not touch each other, so a population is replayed person by person.
 */
export function replayPerson(flows: readonly ReplayFlow[], person: ReplayPerson, events: readonly FactEvent[], until: Instant, nextId: () => string, react?: Reaction): Replayed {
  const queue = [...events].sort(inOrder);
  const past: FactEvent[] = [];
  const runs: ReplayedRun[] = [];
  const sends: ReplayedSend[] = [];
  let reach = person.reach;
  let head = 0;

  const facts = (): Facts => factsOf(person.id, { attributes: person.attributes, reach: { email: reach }, events: past });

  const move = (flow: ReplayFlow, entry: ReplayedRun, now: Instant): void => {
    const earlier = runs.filter((other) => other !== entry && other.flowKey === flow.key).map((other) => other.run);
    const known = facts();
    const result = advance(flow, entry.run, known, now, earlier);
    entry.run = result.run;
    entry.wakeAt = result.wake.at;
    entry.wakesOn = result.wake.on;
    entry.trace.push(...result.trace);
    for (const effect of result.effects) {
      const send: ReplayedSend = { id: nextId(), flowKey: flow.key, run: entry.run, effect, at: now };
      sends.push(send);
      for (const event of react?.(send, known) ?? []) insert(queue, head, event);
    }
  };

  for (;;) {
    const event = queue[head];
    let waking: ReplayedRun | null = null;
    for (const entry of runs) {
      if (entry.wakeAt !== null && (waking === null || entry.wakeAt < waking.wakeAt!)) waking = entry;
    }
    if (event && event.time <= until && (!waking || event.time <= waking.wakeAt!)) {
      head += 1;
      past.push(event);
      if (event.type === CONSENT_CHANGED) reach = { ...reach, state: event.properties.state === 'given' ? 'given' : 'withdrawn' };
      for (const flow of flows) {
        if (event.time < flow.from) continue;
        const start = startsOn(flow.document, event, flow.zone);
        if (!start) continue;
        const own = runs.filter((entry) => entry.flowKey === flow.key);
        if (own.some((entry) => entry.run.phase === 'armed' && entry.run.key === start.key)) continue;
        if (mayNotStartBecause(flow.document.reentry, own.map((entry) => entry.run), start.key)) continue;
        runs.push({ flowKey: flow.key, armedAt: event.time, run: armedRun(nextId(), person.id, start.key), wakeAt: start.at, wakesOn: [], trace: [] });
      }
      for (const entry of runs) {
        if (!entry.wakesOn.includes(event.type)) continue;
        const flow = flows.find((one) => one.key === entry.flowKey)!;
        move(flow, entry, event.time);
      }
      continue;
    }
    if (!waking || waking.wakeAt! > until) break;
    move(flows.find((one) => one.key === waking.flowKey)!, waking, waking.wakeAt!);
  }
  return { runs, sends, events: past, reach };
}

function inOrder(a: FactEvent, b: FactEvent): number {
  return a.time - b.time || (a.id < b.id ? -1 : a.id > b.id ? 1 : 0);
}

function insert(queue: FactEvent[], from: number, event: FactEvent): void {
  let at = queue.length;
  while (at > from && queue[at - 1]!.time > event.time) at -= 1;
  queue.splice(at, 0, event);
}

/** The event types that a set of flows looks at: what a caller has to load for a replay. */
export function replayNeeds(flows: readonly ReplayFlow[]): string[] {
  return [...new Set(flows.flatMap((flow) => planOf(flow.document).needs))].sort();
}
