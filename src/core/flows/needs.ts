import { dependsOn, namesIn, outermost, spanOf, type EventNeed, type Need, type Rule } from '../rules';
import { addDuration, secondOf, type Instant } from '../time';
import { MESSAGE_SENT, sentNeeded } from '../limits';
import { guardRules, type Offer } from '../offers';
import type { RunningFlow, When } from './advance';
import { ask, type EventAsk } from './asks';
import type { FlowDocument } from './document';
import { planOf } from './plan';
import { CALLED, type Run } from './run';
import { kindOfStep } from './steps';
import { isTimed, kindOfTrigger, triggerOf, whoIsDue } from './triggers';

interface Needs {
  readonly entry: readonly Need[];
  readonly inside: readonly Need[];
  readonly goal: readonly Need[];
  /** by which is told whose time has come */
  readonly due: readonly Need[];
}
/** How many events of a type are looked at from the second in which a wait began on: some may have come before it. */
const MOST_IN_A_SECOND = 10;

const needs = new WeakMap<FlowDocument, Needs>();

/** What the rules of a flow look at: those of entry, and all others. */
export function needsOf(document: FlowDocument): Needs {
  let known = needs.get(document);
  if (!known) {
    const { rules, needs: own } = planOf(document);
    needs.set(
      document,
      (known = {
        entry: dependsOn([document.entry]),
        inside: [...dependsOn(rules.filter((rule) => rule !== document.entry)), ...own],
        goal: document.goal && 'rule' in document.goal ? dependsOn([document.goal.rule]) : [],
        due: dependsOn(document.triggers.filter(isTimed).map(whoIsDue)),
      }),
    );
  }
  return known;
}

const offerRules = new WeakMap<Offer, Map<string, readonly Rule[]>>();
/** The rules of an offer that decide on a code of it in a flow. */
function rulesOfOffer(key: string, offer: Offer, flow: string): readonly Rule[] {
  let byPlace = offerRules.get(offer);
  if (!byPlace) offerRules.set(offer, (byPlace = new Map<string, readonly Rule[]>()));
  const place = `${key} ${flow}`;
  let rules = byPlace.get(place);
  if (!rules) {
    rules = [...(offer.who ? [offer.who] : []), ...guardRules(key, offer.guard, flow).map(({ rule }) => rule)];
    byPlace.set(place, rules);
  }
  return rules;
}

/** The rules of all offers of which a flow issues codes. */
export function offerRulesOf({ document, key, offers }: Pick<RunningFlow, 'document' | 'key' | 'offers'>): readonly Rule[] {
  const { offersNamed } = planOf(document);
  if (!offers || !offersNamed.length) return [];
  return offersNamed.flatMap((named) => {
    const offer = offers.get(named);
    return offer ? rulesOfOffer(named, offer, key) : [];
  });
}

/** Of which offers that a flow issues it has to be known whether somebody who shares an address with them had one. */
export const sharedOffersOf = ({ document, offers }: Pick<RunningFlow, 'document' | 'offers'>): readonly string[] =>
  planOf(document).offersNamed.filter((key) => offers?.get(key)?.guard.shared);

/** Which events of its person {@link advance} looks at for a run, at these moments: just those have to be loaded. */
export function asksOf(
  flow: Pick<RunningFlow, 'document' | 'key' | 'zone' | 'limits' | 'offers'>,
  run: Run,
  { now, dueAt }: When,
): EventAsk[] {
  const { document, zone } = flow;
  const asks: EventAsk[] = [];
  const at = Math.min(dueAt, now);
  const enteredAt = run.enteredAt ?? at;
  const of = (list: readonly Need[], moment: Instant) => {
    for (const need of list) if (need.kind === 'event') asks.push(...eventAsks(need, moment, enteredAt, zone));
  };
  const trigger = triggerOf(flow, run.about.trigger);
  if (trigger && run.about.trigger !== CALLED) {
    const kind = kindOfTrigger(trigger);
    // as of when it was due, and as of now: should it not have come about then, it may have begun again since
    if (run.phase === 'armed') for (const moment of new Set([at, now])) asks.push(...kind.asks(trigger, run.about.key, moment));
    // judged again as of entry, and as of now should it turn out never to have come about
    else if (run.phase === 'inside' && run.isDoubtful)
      for (const moment of new Set([enteredAt, now])) asks.push(...kind.asks(trigger, run.about.key, moment));
  }
  if (run.phase === 'armed') of(needsOf(document).entry, at);
  of(run.phase === 'watching' ? needsOf(document).goal : needsOf(document).inside, now);
  if (run.phase !== 'watching') of(dependsOn(offerRulesOf(flow)), now);
  // what anybody has been sent counts for what they may still get
  if (flow.limits && planOf(document).sendsMarketing && run.phase !== 'watching')
    for (const { channel, from, most } of sentNeeded(flow.limits, now, zone)) {
      const where = Object.entries({ kind: 'marketing', ...(channel && { channel }) });
      asks.push(
        ask({
          type: MESSAGE_SENT,
          where: where.map(([property, value]) => ({ property, op: 'is', value })),
          from,
          most,
          names: ['kind', 'channel'],
        }),
      );
    }
  const step = run.step === null ? undefined : planOf(document).steps.get(run.step);
  const awaited = step && run.waitFrom !== null ? kindOfStep(step).awaits?.(step, { flow: flow.key, key: run.about.key }) : null;
  // the first that comes after the wait began
  if (awaited && run.waitFrom !== null && run.waitUntil !== null)
    asks.push(
      ask({
        type: awaited.event,
        where: awaited.where ?? [],
        // shops send whole seconds, so the second in which it began counts
        from: awaited.isOwn ? run.waitFrom + 1 : secondOf(run.waitFrom),
        to: Math.min(now, run.waitUntil),
        order: 'oldest',
        most: awaited.isOwn ? 1 : MOST_IN_A_SECOND,
        names: null,
      }),
    );
  const back = step && run.waitFrom !== null ? kindOfStep(step).looksBackFor?.(step, run.about) : null;
  if (back)
    asks.push(ask({ type: back.event, where: back.where ?? [], from: run.about.at ?? enteredAt, to: now, most: 1, names: ['orderId'] }));
  const { goal } = document;
  if (goal && 'event' in goal && run.goalAt === null) {
    const where = goal.where ?? [];
    // the first that counts, beside the one that may have started the run
    asks.push(
      ask({
        type: goal.event,
        where,
        from: enteredAt,
        to: Math.min(now, addDuration(enteredAt, goal.within, zone)),
        order: 'oldest',
        most: 2,
        // a flow that it starts gets everything that came with the event
        names: goal.handTo ? null : namesIn(where),
      }),
    );
  }
  return asks;
}

/** Which events of a person rules look at outside of a flow, at a moment. */
export const asksOfRules = (rules: readonly Rule[], now: Instant, zone: string): EventAsk[] =>
  dependsOn(rules).flatMap((need) => (need.kind === 'event' ? eventAsks(need, now, now, zone) : []));

function eventAsks(
  { name, where, since, times, hours, also, order, ahead }: EventNeed,
  moment: Instant,
  enteredAt: Instant,
  zone: string,
): EventAsk[] {
  const names = namesIn(where, also);
  const within = hours ? { ...hours, zone } : null;
  // what counts once it is long enough ago: the oldest, those too that are not so yet
  if ((typeof since === 'object' && 'ago' in since) || order)
    return [ask({ type: name, where, within, order: 'oldest', most: times, names })];
  if (ahead) return [ask({ type: name, where, within, most: times, names })];
  const { after, to } = spanOf(since, { now: moment, zone, enteredAt });
  return [
    // one more than is asked for where the event that started the run is left out
    ask({ type: name, where, within, from: after === -Infinity ? null : after, to, most: since === 'entry' ? times + 1 : times, names }),
    // the next one that is stamped ahead of our clock
    ask({ type: name, from: moment + 1, order: 'oldest', most: 1, names }),
  ];
}

/** Which facts beside events rules look at. */
export interface PartsNeeded {
  readonly lists: boolean;
  readonly tags: boolean;
  readonly segments: boolean;
  readonly changes: readonly string[];
  readonly places: boolean;
}

function partsOfNeeds(needs: readonly Need[]): PartsNeeded {
  const isAsked = (kind: Need['kind']) => needs.some((need) => need.kind === kind);
  return {
    lists: isAsked('list'),
    tags: isAsked('tag'),
    segments: isAsked('segment'),
    changes: [...new Set(needs.flatMap((need) => (need.kind === 'attribute' && need.changes ? [outermost(need.name)] : [])))].sort(),
    places: isAsked('place'),
  };
}

/** Which facts beside events any of these flows look at. */
export const factsNeeded = (flows: readonly Pick<RunningFlow, 'document' | 'key' | 'offers'>[]): PartsNeeded =>
  partsOfNeeds(flows.flatMap((flow) => [...Object.values(needsOf(flow.document)).flat(), ...dependsOn(offerRulesOf(flow))]));

/** The same of rules outside of flows. */
export const factsOfRules = (rules: readonly Rule[]): PartsNeeded => partsOfNeeds(dependsOn(rules));
