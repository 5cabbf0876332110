import { eventsOf, matches, see, verdict, type FactEvent, type Facts, type Seen, type Viewpoint } from '../rules';
import { addDuration, subtractDuration, type Instant } from '../time';
import type { RunningFlow } from './advance';
import type { Goal } from './document';
import { CALLED, type About, type Run, type TriggerOff } from './run';
import { kindOfTrigger, triggerOf, type TriggerState } from './triggers';

type Judged = Pick<RunningFlow, 'document' | 'key' | 'zone'>;

/** Whether what a run is about has come about at a moment, from what is recorded by now. */
export function judge(flow: Judged, about: About, facts: Pick<Facts, 'events'>, at: Instant): TriggerState {
  const trigger = triggerOf(flow, about.trigger);
  if (!trigger) return { state: 'off', off: { why: 'gone' } };
  return kindOfTrigger(trigger).stateAt(trigger, about.key, facts, at, flow.zone);
}

/** Why the trigger of a run that has entered turns out not to have come about, or null when it stands or nothing speaks against it. */
export function undoneBecause(flow: Judged, run: Run, facts: Pick<Facts, 'events'>): TriggerOff | null {
  if (!run.isDoubtful || run.about.trigger === CALLED || run.enteredAt === null) return null;
  // it entered by a trigger of an earlier version and was moved since: that stays valid
  if (!triggerOf(flow, run.about.trigger)) return null;
  const state = judge(flow, run.about, facts, run.enteredAt);
  if (state.state === 'due') return null;
  if (state.state === 'off') return state.off;
  // a silence that goes on longer than was known and of which something has gone out already: the run stands
  return run.effects ? null : { why: 'goes-on', until: state.until };
}

/** Whether the goal of a run is met: by what and when, or when time alone could meet it. */
export interface GoalState {
  readonly met: Pick<FactEvent, 'time' | 'properties'> | null;
  readonly until: Instant | null;
}
const NOT_MET: GoalState = { met: null, until: null };

/** Whether the goal of a run is met by a moment: by an event, or by its rule, which is then met at that moment. */
export function goalOf(flow: Pick<RunningFlow, 'document' | 'zone' | 'world'>, run: Run, facts: Facts, now: Instant): GoalState {
  const { goal } = flow.document;
  const { enteredAt, about } = run;
  if (!goal || enteredAt === null) return NOT_MET;
  const deadline = addDuration(enteredAt, goal.within, flow.zone);
  if ('rule' in goal) {
    if (now >= deadline) return NOT_MET;
    const { holds, until } = verdict(goal.rule, facts, viewOf(run, now, flow));
    return holds ? { met: { time: now, properties: about.data }, until: null } : { met: null, until };
  }
  // what started the run does not fulfil it: the order that begins a first-order flow is not its goal
  const met = eventsOf(facts, goal.event).find(
    (event) =>
      event.id !== about.eventId && event.time >= enteredAt && event.time <= now && event.time < deadline && matches(event, goal.where),
  );
  return met ? { met, until: null } : NOT_MET;
}

/** What a run that is inside is looked at from. */
export function viewOf(run: Run, now: Instant, { zone, world }: Pick<RunningFlow, 'zone' | 'world'>): Viewpoint {
  return {
    now,
    zone,
    ...(world && { world }),
    ...(run.enteredAt !== null && { enteredAt: run.enteredAt }),
    ...(run.about.at !== null && { about: run.about }),
    answers: run.answers,
  };
}

/** The last moment of entering at which the time for the goal is over by now. */
export const goalEndsBy = (goal: Goal, now: Instant, zone: string): Instant => subtractDuration(now, goal.within, zone);

/** Why a run does not go on: its trigger is undone, its goal has been reached and ends it, or its stay rule fails. */
export type Over =
  { readonly why: 'undone'; readonly off: TriggerOff } | { readonly why: 'goal' } | { readonly why: 'stay'; readonly seen: Seen };

/** Why a run would end if it were looked at now, or null: asked once more as a message is about to go out. */
export function overBecause(
  flow: Pick<RunningFlow, 'document' | 'key' | 'zone' | 'world'>,
  run: Run,
  facts: Facts,
  now: Instant,
): Over | null {
  const { document } = flow;
  const off = undoneBecause(flow, run, facts);
  if (off) return { why: 'undone', off };
  if (document.goal?.ends && (run.goalAt !== null || goalOf(flow, run, facts, now).met)) return { why: 'goal' };
  const view = viewOf(run, now, flow);
  return document.stay && !verdict(document.stay, facts, view).holds ? { why: 'stay', seen: see(document.stay, facts, view) } : null;
}
