import type { Happening } from '../rules';
import type { Instant } from '../time';
import type { FlowDocument, Reentry } from './document';
import { LATEST_MS } from './lateness';
import type { Again, Beginning, Outcome, Phase } from './run';
import { keyOf, kindOfTrigger } from './triggers';

/**
 * The triggers of a flow that an event begins: for each a key, and the first moment at which it could have come about.
 * Whether it has is decided when that moment is there. `now` is when the event is learned of.
 */
export function beginsOn(document: FlowDocument, event: Happening, now: Instant, zone: string): Beginning[] {
  return document.triggers.flatMap((trigger) => {
    const at = kindOfTrigger(trigger).startsAt(trigger, event, zone);
    const key = at === null ? null : keyOf(trigger, event);
    return at === null || key === null || at < now - LATEST_MS ? [] : [{ trigger: trigger.id, key, at }];
  });
}

/** A run that this person had or has in the same flow. */
export interface EarlierRun {
  readonly id: string;
  readonly key: string;
  readonly phase: Phase;
  readonly outcome: Outcome | null;
  /** how much it has done to the world */
  readonly effects: number;
}

/** Runs that never entered do not count, nor do those of which nothing had gone out when their trigger was undone. */
const hasEntered = (run: EarlierRun): boolean =>
  run.phase !== 'armed' && run.outcome !== 'not-entered' && (run.outcome !== 'undone' || run.effects > 0);

/** Why this person may not start again with this key, or null when they may. Looked at when the trigger has come about. */
export function mayNotStart(reentry: Reentry, earlier: readonly EarlierRun[], key: string): Again | null {
  const entered = earlier.filter(hasEntered);
  if (reentry === 'once' && entered.length) return 'once';
  if (reentry === 'once-per-key' && entered.some((run) => run.key === key)) return 'once-per-key';
  return entered.some((run) => run.key === key && run.phase === 'inside') ? 'inside' : null;
}

/** Whether somebody can never start again with this key, whatever becomes of the runs that are under way: then nothing needs to be armed. */
export function canNeverStart(reentry: Reentry, earlier: readonly EarlierRun[], key: string): boolean {
  return reentry !== 'always' && mayNotStart(reentry, earlier, key) !== null;
}

/** Says why somebody may not start again. */
export function sayAgain(again: Again, key: string): string {
  switch (again) {
    case 'once':
      return 'has been in this flow before, and it is once per person';
    case 'once-per-key':
      return `this flow has already run for ${key}, and it is once for each`;
    case 'inside':
      return 'is inside this flow already';
  }
}
