import { evaluate, matches, sayDone, type Because, type Facts } from '../rules';
import type { Instant } from '../time';
import type { FlowDocument } from './document';
import { keyOf, mayNotStartBecause, triggerState, type EarlierRun } from './start';

/** One condition on the way into a flow, and whether it holds. */
export interface EntryCondition {
  readonly holds: boolean;
  readonly says: string;
  readonly because?: Because;
}

/**
 * Why somebody is not in a flow: each condition in the order in which the engine looks at them, by the engine's own
 * code. The first that does not hold is the answer; when all hold, they would enter at the next trigger.
 */
export function whyNotEntered(document: FlowDocument, isOn: boolean, facts: Facts, earlier: readonly EarlierRun[], now: Instant, zone: string, currency: string): readonly EntryCondition[] {
  const { trigger } = document;
  const conditions: EntryCondition[] = [{ holds: isOn, says: isOn ? 'The flow is on' : 'The flow is not on' }];
  const all = facts.events.filter((event) => event.type === trigger.event);
  const matching = all.filter((event) => matches(event, trigger.where));
  conditions.push(all.length
    ? { holds: matching.length > 0, says: matching.length ? `Has ${sayDone(trigger.event)}` : `Has ${sayDone(trigger.event)}, but never as the trigger asks for` }
    : { holds: false, says: `Has never ${sayDone(trigger.event)}: the trigger has not come about` });
  const last = matching.at(-1);
  if (!last) return conditions;

  const key = keyOf(trigger, last);
  if (key === null) return [...conditions, { holds: false, says: `The last ${trigger.event} has no ${trigger.key}, which tells one from another` }];
  const state = triggerState(trigger, key, facts, now, zone);
  if (trigger.kind === 'silence') {
    conditions.push(state.state === 'off' ? { holds: false, says: `The silence was ended: ${state.says}` } : { holds: state.state === 'due', says: state.state === 'due' ? 'The silence lasted' : 'The silence still lasts' });
  }
  const again = mayNotStartBecause(document.reentry, earlier, key);
  conditions.push({ holds: again === null, says: again ? `${again[0]!.toUpperCase()}${again.slice(1)}` : 'May start' });
  if (document.entry) {
    const answer = evaluate(document.entry, facts, { now, zone, trigger: last }, { triggerType: trigger.event, currency });
    conditions.push({ holds: answer.holds, says: answer.holds ? 'The entry rule holds' : 'The entry rule does not hold', because: answer.because });
  }
  return conditions;
}
