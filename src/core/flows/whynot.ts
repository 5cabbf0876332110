import { evaluate, eventsOf, matches, sayDone, type Because, type Facts, type Viewpoint } from '../rules';
import { outsideOf, type RunningFlow } from './advance';
import { mayNotStart, sayAgain, type EarlierRun } from './begin';
import { wordingOf, type FlowDocument } from './document';
import { sayTriggerOff } from './trace';
import { keyOf, kindOfTrigger, triggersOf, type Trigger } from './triggers';

/** One condition on the way into a flow, and whether it holds. */
export interface EntryCondition {
  readonly holds: boolean;
  readonly says: string;
  readonly because?: Because;
}

/** From when and where it is looked at. */
type Scene = Pick<Viewpoint, 'now' | 'zone' | 'world'> & { readonly currency: string };

/**
 * Why somebody is not in a flow: each condition in the order in which the engine looks at them, by the engine's own
 * code. The first that does not hold is the answer; when all hold, they would enter at the next trigger. Of several
 * triggers the one is told of that came furthest.
 */
export function whyNotEntered(
  flow: Pick<RunningFlow, 'key' | 'document' | 'isOn'>,
  facts: Facts,
  earlier: readonly EarlierRun[],
  store: Scene,
): readonly EntryCondition[] {
  const { document, isOn } = flow;
  const ways = triggersOf(flow).map((trigger) => waysIn(document, trigger, facts, earlier, store));
  const outside = outsideOf(document, store.now, store.zone);
  const reach = (way: readonly EntryCondition[]) => (way.every((one) => one.holds) ? Infinity : way.findIndex((one) => !one.holds));
  return [
    { holds: isOn, says: isOn ? 'The flow is on' : 'The flow is not on' },
    ...(outside ? [{ holds: false, says: outside === 'before' ? 'The flow has not begun yet' : 'The flow is over' }] : []),
    ...ways.reduce((best, way) => (reach(way) > reach(best) ? way : best)),
  ];
}

function waysIn(document: FlowDocument, trigger: Trigger, facts: Facts, earlier: readonly EarlierRun[], store: Scene): EntryCondition[] {
  const conditions: EntryCondition[] = [];
  const all = eventsOf(facts, trigger.event);
  const matching = all.filter((event) => matches(event, trigger.where));
  conditions.push(
    all.length
      ? {
          holds: matching.length > 0,
          says: matching.length ? `Has ${sayDone(trigger.event)}` : `Has ${sayDone(trigger.event)}, but never as the trigger asks for`,
        }
      : { holds: false, says: `Has never ${sayDone(trigger.event)}: the trigger has not come about` },
  );
  const last = matching.at(-1);
  if (!last) return conditions;

  const key = keyOf(trigger, last);
  if (key === null)
    return [...conditions, { holds: false, says: `The last ${trigger.event} has no ${trigger.key}, which tells one from another` }];
  const kind = kindOfTrigger(trigger);
  const state = kind.stateAt(trigger, key, facts, store.now, store.zone);
  if (kind.lead(trigger) !== null) {
    conditions.push(
      state.state === 'off'
        ? { holds: false, says: `The silence was ended: ${sayTriggerOff(state.off, document, trigger.id)}` }
        : { holds: state.state === 'due', says: state.state === 'due' ? 'The silence lasted' : 'The silence still lasts' },
    );
  }
  const again = mayNotStart(document.reentry, earlier, key, store.now, store.zone);
  const says = again && sayAgain(again, key);
  conditions.push({ holds: again === null, says: says ? `${says[0]!.toUpperCase()}${says.slice(1)}` : 'May start' });
  if (document.entry) {
    const answer = evaluate(
      document.entry,
      facts,
      { ...store, about: { at: last.time, eventId: last.id, data: last.properties } },
      wordingOf(document, store.currency),
    );
    conditions.push({
      holds: answer.holds,
      says: answer.holds ? 'The entry rule holds' : 'The entry rule does not hold',
      because: answer.because,
    });
  }
  return conditions;
}
