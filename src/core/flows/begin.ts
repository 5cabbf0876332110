import type { Happening } from '../rules';
import type { Instant } from '../time';
import { subtractDuration, sayDuration } from '../time';
import type { RunningFlow } from './advance';
import type { Reentry } from './document';
import { LATEST_MS } from './lateness';
import type { Again, Beginning, Outcome, Phase } from './run';
import { keyOf, kindOfTrigger, triggersOf } from './triggers';

/**
 * The triggers of a flow that an event begins: for each a key, and the first moment at which it could have come about.
 * Whether it has is decided when that moment is there. `now` is when the event is learned of.
 */
export function beginsOn(flow: Pick<RunningFlow, 'document' | 'key' | 'zone'>, event: Happening, now: Instant): readonly Beginning[] {
  let begun: Beginning[] | null = null;
  for (const trigger of triggersOf(flow)) {
    if (trigger.event !== event.type) continue;
    const at = kindOfTrigger(trigger).startsAt(trigger, event, flow.zone);
    const key = at === null ? null : keyOf(trigger, event);
    if (at !== null && key !== null && at >= now - LATEST_MS) (begun ??= []).push({ trigger: trigger.id, key, at });
  }
  return begun ?? NOTHING;
}
const NOTHING: readonly Beginning[] = [];

/** A run that this person had or has in the same flow. */
export interface EarlierRun {
  readonly id: string;
  readonly key: string;
  readonly phase: Phase;
  readonly outcome: Outcome | null;
  /** when it went in; null where it never has */
  readonly enteredAt: Instant | null;
  /** how much it has done to the world */
  readonly effects: number;
}

/** Runs that never entered do not count, nor do those of which nothing had gone out when their trigger was undone. */
const hasEntered = (run: EarlierRun): boolean =>
  run.phase !== 'armed' && run.outcome !== 'not-entered' && (run.outcome !== 'undone' || run.effects > 0);

/** Why this person may not start again with this key, or null when they may. Looked at when the trigger has come about. */
export function mayNotStart(reentry: Reentry, earlier: readonly EarlierRun[], key: string, at: Instant, zone: string): Again | null {
  const entered = earlier.filter(hasEntered);
  if (typeof reentry === 'object') {
    const since = subtractDuration(at, reentry.after, zone);
    if (entered.some((run) => run.phase === 'inside' || (run.enteredAt !== null && run.enteredAt > since))) return 'too-soon';
  }
  if (reentry === 'once' && entered.length) return 'once';
  if (reentry === 'once-per-key' && entered.some((run) => run.key === key)) return 'once-per-key';
  return entered.some((run) => run.key === key && run.phase === 'inside') ? 'inside' : null;
}

/** Whether somebody can never start again with this key, whatever becomes of the runs that are under way: then nothing needs to be armed. */
export function canNeverStart(reentry: Reentry, earlier: readonly EarlierRun[], key: string): boolean {
  const entered = earlier.filter(hasEntered);
  return (reentry === 'once' && entered.length > 0) || (reentry === 'once-per-key' && entered.some((run) => run.key === key));
}

/** A run that a person has in a flow, as a merge finds it. */
export interface OpenRun {
  readonly id: string;
  readonly flowId: number;
  readonly key: string;
  readonly phase: Phase;
  readonly outcome: Outcome | null;
  readonly enteredAt: Instant;
}

/**
 * Finds the runs that end after two people became one: of several in a flow, for the same key or, if the flow runs once per person, for
 * any, the one that entered first goes on, and none does if one has completed.
 * @param runs the person's runs that are in a flow or out of it with the goal still to be reached
 */
export function doubledRuns(runs: readonly OpenRun[], reentryOf: (flowId: number) => Reentry): OpenRun[] {
  const going = new Map<string, OpenRun>();
  const doubled: OpenRun[] = [];
  const first = (a: OpenRun, b: OpenRun) =>
    Number(b.phase === 'watching') - Number(a.phase === 'watching') || a.enteredAt - b.enteredAt || Number(BigInt(a.id) - BigInt(b.id));
  for (const run of runs.filter(({ outcome }) => outcome !== 'left').sort(first)) {
    const place = `${run.flowId}/${isPerPerson(reentryOf(run.flowId)) ? '' : run.key}`;
    if (!going.has(place)) going.set(place, run);
    else if (run.phase === 'inside') doubled.push(run);
  }
  return doubled;
}

/** Whether all runs of a person matter to re-entry, or only those of the same key. */
export const isPerPerson = (reentry: Reentry): boolean => reentry === 'once' || typeof reentry === 'object';

/** Says how often the same person may start. */
export const sayReentry = (reentry: Reentry, noun = 'key'): string =>
  typeof reentry === 'object'
    ? `again after ${sayDuration(reentry.after)}`
    : { 'once-per-key': `once for each ${noun}`, once: 'once ever', always: 'every time' }[reentry];

/** Says why somebody may not start again. */
export function sayAgain(again: Again, key: string): string {
  switch (again) {
    case 'once':
      return 'has been in this flow before, and it is once per person';
    case 'once-per-key':
      return `this flow has already run for ${key}, and it is once for each`;
    case 'too-soon':
      return 'has been in this flow not long enough ago';
    case 'inside':
      return 'is inside this flow already';
  }
}
