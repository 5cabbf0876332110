import { MESSAGE_SENT } from '../../limits';
import { CODE_ISSUED } from '../../offers';
import {
  factsOf,
  inOrder,
  isWithin,
  matches,
  signalsOf,
  withChange,
  type FactChange,
  type FactEvent,
  type Facts,
  type KnownFacts,
  type Reach,
  type Value,
} from '../../rules';
import { advance, type RunningFlow } from '../advance';
import type { EventAsk } from '../asks';
import { beginsOn, canNeverStart, type EarlierRun } from '../begin';
import { asksOf } from '../needs';
import { planOf } from '../plan';
import { HOUR } from '../../time';
import { armedRun, codeTold, isAsk, type Beginning, type Effect, type Run, type TraceEntry } from '../run';
import { CALL_ENDED, TASK_CLOSED } from '../steps';
import { keyOf } from '../triggers';

/** An event that is told at a moment of its own, at or after that at which it happened. */
export interface Arrival {
  readonly event: FactEvent;
  readonly at: number;
}

export interface Lived {
  readonly runs: readonly { run: Run; trace: TraceEntry[] }[];
  readonly sends: readonly { runId: string; key: string; stepId: string; at: number }[];
  readonly known: KnownFacts;
}

/** Numbers of recorded events: above all that are told. */
const RECORDED = 1_000_000;
const REACH: Reach = { hasAddress: true, state: 'given', suppressed: null, pausedUntil: null };

type Asked = Extract<Effect, { kind: 'call' | 'task' }>;

/** What is answered outside after an hour: well for one step, badly for another. */
export function answerTo({ kind, about, stepId }: Asked): Pick<FactEvent, 'type' | 'properties'> {
  const isWell = stepId.length % 2 === 0;
  return kind === 'call'
    ? { type: CALL_ENDED, properties: { ...about, ok: isWell, status: 200, answer: { value: stepId.length } } }
    : { type: TASK_CLOSED, properties: { ...about, done: isWell, by: 'Marla', note: '' } };
}

/** The events that asks name, of all that are on file: what a worker loads, and nothing else. */
export function answer(events: readonly FactEvent[], asks: readonly EventAsk[]): FactEvent[] {
  const found = new Set<FactEvent>();
  for (const { type, key, where, within, from, to, order, most } of asks) {
    const fits = events.filter(
      (event) =>
        event.type === type &&
        (from === null || event.time >= from) &&
        (to === null || event.time <= to) &&
        matches(event, where) &&
        (!within || isWithin(event.time, within, within.zone)) &&
        (!key || keyOf({ key: key.name }, event) === key.value),
    );
    for (const event of order === 'newest' ? fits.slice(-most) : fits.slice(0, most)) found.add(event);
  }
  return [...found].sort(inOrder);
}

/**
 * Lives through arrivals as the server does: what arrives arms and wakes, what is due is moved; the worker comes round
 * `late` after something is due. With `isSparing` each run sees just the events that it asks for.
 */
export function live(
  flow: RunningFlow,
  arrivals: readonly Arrival[],
  until: number,
  {
    late = 0,
    isSparing = false,
    attributes = {},
  }: { late?: number; isSparing?: boolean; attributes?: { readonly [name: string]: Value } } = {},
): Lived {
  const told: FactEvent[] = [];
  const runs: { run: Run; wakeAt: number | null; on: readonly string[]; trace: TraceEntry[]; woken: number }[] = [];
  const sends: { runId: string; key: string; stepId: string; at: number }[] = [];
  const queue = [...arrivals].sort((a, b) => a.at - b.at || inOrder(a.event, b.event));
  const earlier = (): EarlierRun[] =>
    runs.map(({ run }) => ({
      id: run.id,
      key: run.about.key,
      phase: run.phase,
      outcome: run.outcome,
      enteredAt: run.enteredAt,
      effects: run.effects,
    }));
  const arm = ({ trigger, key, at }: Beginning) => {
    const armed = runs.find(({ run }) => run.phase === 'armed' && run.about.key === key && run.about.trigger === trigger);
    if (armed) armed.wakeAt = Math.min(armed.wakeAt ?? Infinity, at);
    else if (!canNeverStart(flow.document.reentry, earlier(), key))
      runs.push({
        run: armedRun(String(runs.length + 1), '1', { trigger, key }),
        wakeAt: at,
        on: planOf(flow.document).wakesArmed,
        trace: [],
        woken: 0,
      });
  };
  let recorded = 0;
  const asked = (effect: Asked, at: number) => {
    const id = String(RECORDED + (recorded += 1));
    const event = answerTo(effect);
    queue.push({ event: { id, time: at + HOUR, ...event }, at: at + HOUR });
    queue.sort((a, b) => a.at - b.at || inOrder(a.event, b.event));
  };
  // who is woken by a change looks when the others of that moment have
  let wakings = 0;
  let known: KnownFacts = factsOf('1', { attributes, reach: { email: REACH } });
  const learn = (change: FactChange, at: number) => {
    known = withChange(known, change);
    for (const one of runs)
      if (
        one.run.phase !== 'ended' &&
        signalsOf(change).some((signal) => one.on.includes(signal)) &&
        !(one.wakeAt !== null && one.wakeAt <= at)
      ) {
        one.wakeAt = at;
        one.woken = wakings += 1;
      }
  };
  const tell = (event: FactEvent, at: number) => {
    told.push(event);
    told.sort(inOrder);
    for (const beginning of beginsOn(flow, event, at)) arm(beginning);
    for (const one of runs) {
      if (one.run.phase === 'ended' || !one.on.includes(event.type)) continue;
      one.wakeAt = Math.min(one.wakeAt ?? Infinity, at);
      one.run = { ...one.run, isDoubtful: true };
    }
  };
  let head = 0;
  for (;;) {
    const next = queue[head];
    const due = runs.filter((one) => one.wakeAt !== null).sort((a, b) => a.wakeAt! - b.wakeAt! || a.woken - b.woken)[0];
    // a run is moved when the worker comes round, and never before it is known of
    const dueNow = due ? Math.max(due.wakeAt! + late, queue[head - 1]?.at ?? -Infinity) : Infinity;
    if (next && next.at <= until && next.at <= dueNow) {
      head += 1;
      tell(next.event, next.at);
      continue;
    }
    if (!due || dueNow > until) break;
    const when = { now: dueNow, dueAt: due.wakeAt! };
    const events = isSparing ? answer(told, asksOf(flow, due.run, when)) : [...told];
    const facts: Facts = { ...known, personId: '1', events };
    const result = advance(
      flow,
      due.run,
      facts,
      when,
      earlier().filter((one) => one.id !== due.run.id),
    );
    due.run = result.run;
    due.wakeAt = result.wake.at;
    due.woken = 0;
    due.on = result.wake.on;
    due.trace.push(...result.trace);
    for (const effect of result.effects) {
      if (effect.kind === 'send') {
        told.push({
          id: String(RECORDED + (recorded += 1)),
          type: MESSAGE_SENT,
          time: dueNow,
          properties: {
            flow: flow.key,
            step: effect.stepId,
            kind: effect.marketing ? 'marketing' : 'service',
            channel: effect.channel,
          },
        });
        sends.push({ runId: result.run.id, key: result.run.about.key, stepId: effect.stepId, at: dueNow });
      } else if (effect.kind === 'change') learn(effect.change, dueNow);
      else if (effect.kind === 'call' || effect.kind === 'task') asked(effect, dueNow);
      else if (isAsk(effect)) continue;
      else if (effect.kind === 'code')
        tell(
          { id: String(RECORDED + (recorded += 1)), type: CODE_ISSUED, time: dueNow, properties: codeTold(effect, effect.stepId) },
          dueNow,
        );
      else tell({ id: String(RECORDED + (recorded += 1)), type: effect.type, time: dueNow, properties: effect.properties }, dueNow);
    }
    for (const { type, at, properties } of result.told)
      tell({ id: String(RECORDED + (recorded += 1)), type, time: at, properties }, dueNow);
    if (result.begins) arm(result.begins);
  }
  return { runs, sends, known };
}
