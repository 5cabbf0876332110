import { addDuration, sayElapsed, subtractDuration, type Instant } from '../time';
import { compare } from './compare';
import { CHANNEL_WORDS } from './channel';
import { unreachableBecause, valueAt, type Facts, type Happening, type Viewpoint } from './facts';
import { partsOf, type PropertyTest, type Rule, type Test } from './rule';
import { sayRule, sayTriggerProperty, sayName, sayValue, type Wording } from './sentence';

/** The explanation of an answer: what the rule says, whether it holds, what was seen, and the same of its parts. */
export interface Because {
  readonly holds: boolean;
  readonly says: string;
  readonly saw?: string;
  readonly parts?: readonly Because[];
}

export interface Answer {
  readonly holds: boolean;
  /** the first moment after now at which the answer could change without any new fact, or null when it cannot */
  readonly until: Instant | null;
  readonly because: Because;
}

/** Looks at a rule with what is known of one person, and says whether it holds, until when at least, and why. */
export function evaluate(rule: Rule, facts: Facts, view: Viewpoint, wording: Wording = {}): Answer {
  const parts = partsOf(rule);
  if (!parts) return evaluateTest(rule as Test, facts, view, wording);
  const answers = parts.map((part) => evaluate(part, facts, view, wording));
  const holds =
    'all' in rule ? answers.every((a) => a.holds) : 'any' in rule ? answers.some((a) => a.holds) : !answers.some((a) => a.holds);
  return {
    holds,
    until: earliest(answers.map((a) => a.until)),
    because: { holds, says: sayRule(rule, wording), parts: answers.map((a) => a.because) },
  };
}

/** The earliest of several moments, null standing for never. */
export function earliest(moments: readonly (Instant | null)[]): Instant | null {
  let first: Instant | null = null;
  for (const moment of moments) if (moment !== null && (first === null || moment < first)) first = moment;
  return first;
}

function evaluateTest(test: Test, facts: Facts, view: Viewpoint, wording: Wording): Answer {
  const says = sayRule(test, wording);
  const fixed = (holds: boolean, saw: string): Answer => ({ holds, until: null, because: { holds, says, saw } });
  switch (test.test) {
    case 'attribute': {
      const value = valueAt(facts.attributes, test.name);
      return fixed(compare(value, test), `${sayName(test.name)} was ${sayValue(value)}`);
    }
    case 'trigger': {
      const value = view.trigger ? valueAt(view.trigger.properties, test.property) : undefined;
      return fixed(
        compare(value, test),
        `${sayTriggerProperty(test.property, wording)} was ${sayValue(value, test.property === 'value' ? wording.currency : undefined)}`,
      );
    }
    case 'consent': {
      const reach = facts.reach[test.channel];
      const reason = unreachableBecause(reach, view.now, test.channel);
      const answer = fixed((reason === null) === test.reachable, reason ?? `has an address and agreed to ${CHANNEL_WORDS[test.channel].noun}`);
      // a pause that the person asked for ends by itself
      return reach.pausedUntil !== null && reach.pausedUntil > view.now ? { ...answer, until: reach.pausedUntil } : answer;
    }
    case 'list': {
      const isOn = facts.lists.includes(test.list);
      return fixed(isOn === test.member, isOn ? `is on the list ${test.list}` : `is not on the list ${test.list}`);
    }
    case 'tag': {
      const has = facts.tags.includes(test.tag);
      return fixed(has === test.has, has ? `has the tag ${test.tag}` : `has no tag ${test.tag}`);
    }
    case 'did':
    case 'didNot':
      return evaluateEvents(test, facts, view, says);
  }
}

/** Whether all tests on an event's properties hold. */
export function matches(event: Happening, where: readonly PropertyTest[] | undefined): boolean {
  return !where || where.every((test) => compare(valueAt(event.properties, test.property), test));
}

function evaluateEvents(test: Extract<Test, { test: 'did' | 'didNot' }>, facts: Facts, view: Viewpoint, says: string): Answer {
  const times = test.times ?? 1;
  const last = typeof test.since === 'object' ? test.since.last : null;
  const from = last ? subtractDuration(view.now, last, view.zone) : test.since === 'entry' ? (view.enteredAt ?? view.now) : -Infinity;
  const seen: Instant[] = [];
  let ahead: Instant | null = null;
  for (const event of facts.events) {
    if (event.type !== test.event) continue;
    if (event.time > view.now) {
      // stamped by a clock that runs ahead of ours: it will count when its moment has come
      ahead ??= event.time;
      continue;
    }
    // "since entering" takes in the moment of entry itself; a sliding window has just let go of its far edge
    if (last ? event.time <= from : event.time < from) continue;
    // what started the run came before entering, even where both bear the same moment
    if (test.since === 'entry' && event.id === view.trigger?.id) continue;
    if (matches(event, test.where)) seen.push(event.time);
  }
  const did = seen.length >= times;
  const holds = test.test === 'did' ? did : !did;
  // the count falls below `times` when the oldest event that is needed slides out of the window
  const until = earliest([ahead, last && did ? leavesWindow(seen[seen.length - times]!, last, view) : null]);
  const latest = seen.at(-1);
  const saw = latest === undefined ? 'it did not happen' : `${seen.length === 1 ? 'it happened once' : `it happened ${seen.length} times`}, last ${sayElapsed(view.now - latest)} before`;
  return { holds, until, because: { holds, says, saw } };
}

/** The first moment at which an event is no longer within the duration before that moment. */
function leavesWindow(time: Instant, last: string, view: Viewpoint): Instant {
  const guess = addDuration(time, last, view.zone);
  const isOut = (moment: Instant) => subtractDuration(moment, last, view.zone) >= time;
  if (isOut(guess) && !isOut(guess - 1)) return guess;
  // months of unequal length and changes of the clocks: find the exact edge
  let low = Math.max(view.now, guess - 4 * 86_400_000);
  let high = guess + 4 * 86_400_000;
  while (high - low > 1) {
    const middle = Math.floor((low + high) / 2);
    if (isOut(middle)) high = middle;
    else low = middle;
  }
  return high;
}
