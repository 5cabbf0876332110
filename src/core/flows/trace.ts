import { explain, sayEvent, sayName, sayRule, sayValue, type Because, type Wording } from '../rules';
import { sayDuration, type Instant } from '../time';
import { sayLimited } from '../limits';
import { sayObstacle } from '../messages';
import { sayExpires, sayGuarded, type Offers } from '../offers';
import { sayAgain } from './begin';
import { sayGoal, wordingOf, type FlowDocument } from './document';
import { planOf } from './plan';
import { CALLED, type Saw, type TraceEntry, type TriggerOff, type Withheld } from './run';
import { armsOf, sayNoteTo, sayStep, sayLimit, sayOwner, sayShares, sayUpdated, sayWait, type WaitUntil } from './steps';
import { kindOfTrigger, triggerOf } from './triggers';

/** A decision in words, with its explanation where rules decided. */
export interface Said {
  readonly says: string;
  readonly because?: Because;
}

/** Says why a trigger has not come about: "placed an order for it". */
export function sayTriggerOff(off: TriggerOff, document: Pick<FlowDocument, 'triggers'>, triggerId: string): string {
  const event = triggerOf({ document, key: '' }, triggerId)?.event ?? 'trigger';
  switch (off.why) {
    case 'no-event':
      return `the event ${event} is not on file`;
    case 'no-match':
      return `the last ${event} does not match what the trigger asks for`;
    case 'gone':
      return 'its trigger is not in the flow any more';
    case 'ended':
      return `${sayEvent(off.by)}${off.hasKey ? ' for it' : ''}`;
    case 'goes-on':
      return `${sayEvent(event)} again before that`;
  }
}

/** What the words of a trace go by: the store's currency and clocks, and how its offers are called. */
export interface TraceWording {
  readonly currency: string;
  readonly zone: string;
  readonly offers?: Offers;
}

/** Puts an entry of a trace into words, by the version of the flow that the run was on. */
export function sayTrace(
  entry: Pick<TraceEntry, 'kind' | 'stepId' | 'armId' | 'saw' | 'at'>,
  run: { readonly trigger: string; readonly key: string },
  document: FlowDocument,
  { currency, zone, offers }: TraceWording,
): Said {
  const wording = wordingOf(document, currency);
  const step = entry.stepId === null ? undefined : planOf(document).steps.get(entry.stepId);
  const name = step && 'name' in step ? step.name : (entry.stepId ?? '');
  const saw = (entry.saw ?? {}) as Partial<{ [K in KeysOf<Saw>]: Extract<Saw, { [key in K]: unknown }>[K] }>;
  const ruled = (says: string, rule: FlowDocument['entry']): Said => ({
    says,
    ...(rule && saw.rule && { because: explain(rule, saw.rule, wording, entry.at) }),
  });
  switch (entry.kind) {
    case 'entered': {
      const trigger = triggerOf({ document, key: '' }, run.trigger);
      return {
        says: `Entered: ${run.trigger === CALLED ? sayEvent('flow.called') : trigger ? kindOfTrigger(trigger).saysDue(trigger) : 'its trigger had come about'}`,
      };
    }
    case 'not-entered':
      if (saw.trigger) return { says: `Did not enter: ${sayTriggerOff(saw.trigger, document, run.trigger)}` };
      if (saw.full !== undefined) return { says: `Did not enter: ${sayFull(saw.full)}` };
      if (saw.again) return { says: `Did not enter: ${sayAgain(saw.again, run.key)}` };
      if (saw.window) return { says: `Did not enter: ${saw.window === 'before' ? 'the flow had not begun' : 'the flow was over'}` };
      return saw.off
        ? { says: 'Did not enter: the flow was not on at that moment' }
        : ruled('Did not enter: the entry rule does not hold', document.entry);
    case 'queued':
      return { says: `Waits to enter: ${sayFull(saw.full ?? 0)}` };
    case 'undone':
      return {
        says: `Left: what had started it turned out not to be so: ${saw.trigger ? sayTriggerOff(saw.trigger, document, run.trigger) : 'its trigger'}`,
      };
    case 'waiting':
      if (saw.trial) return { says: `Waits until it is known what “${name}” shows` };
      if (saw.hour !== undefined && saw.hour !== null) return { says: `Waiting until ${sayHour(saw.hour)}, when they mostly open` };
      if (saw.hour === null && step?.kind === 'wait' && step.best)
        return { says: `Waiting until ${step.best.otherwise}: too few openings tell of an hour of their own` };
      if (saw.noDay) return { says: `Did not wait: there is no day on file under ${sayName(saw.noDay)}` };
      return { says: step?.kind === 'wait' ? sayWait(step, 'Waiting') : 'Waiting' };
    case 'asked':
      return { says: step?.kind === 'task' ? `Asked ${sayOwner(step.owner)} to do “${name}”` : `Called “${name}”` };
    case 'answered':
      if (step?.kind === 'call') return { says: `“${name}” was answered` };
      if (step?.kind === 'task') return { says: `“${name}” was done` };
      return { says: `It came: the person ${step?.kind === 'wait' && step.until ? sayAwaited(step.until) : 'answered'}` };
    case 'unanswered':
      if (saw.failed !== undefined) return { says: `“${name}” came to nothing: ${saw.failed || 'it failed'}` };
      if (step && 'within' in step) return { says: `Time ran out: ${sayDuration(step.within)} without an answer to “${name}”` };
      return { says: `Time ran out: ${step?.kind === 'wait' ? sayLimit(step) : 'the wait'} without it` };
    case 'decided': {
      const arms = step ? armsOf(step) : [];
      const arm = arms.find((one) => one.id === entry.armId);
      const parts = (saw.arms ?? []).flatMap((seen, index) =>
        arms[index]?.when ? [explain(arms[index].when, seen, wording, entry.at)] : [],
      );
      const says = `Took “${arm?.name ?? entry.armId}”`;
      if (arm && arm.when === null) return { says, because: { holds: true, says: `everyone else takes “${arm.name}”`, parts } };
      if (parts.length > 1) return { says, because: { holds: true, says: `first arm that holds is “${arm?.name}”`, parts } };
      return { says, ...(parts[0] && { because: parts[0] }) };
    }
    case 'drawn': {
      const arms = step ? armsOf(step) : [];
      if (saw.won !== undefined)
        return { says: `Took “${arms.find(({ id }) => id === saw.won)?.name ?? saw.won}”, which was chosen of “${name}”` };
      const arm = arms.find((one) => one.id === entry.armId);
      return { says: `Drew “${arm?.name ?? entry.armId}”${arm ? `, which ${sayShares(arms, arm)} take` : ''}` };
    }
    case 'recorded':
      return { says: `Recorded “${name}”` };
    case 'updated': {
      const own = saw.updated?.length ? sayUpdated(saw.updated) : 'nothing had to change';
      const others = saw.others ? `; the same of the others whose ${sayName(saw.others.by)} is ${sayValue(saw.others.value)}` : '';
      return { says: `Updated “${name}”: ${own}${others}` };
    }
    case 'found':
      return { says: `Looked up “${name}”: found ${saw.sought ?? 'it'}` };
    case 'not-found':
      return { says: saw.sought === null ? `Looked up “${name}”: nothing to look for` : `Looked up “${name}”: no row for ${saw.sought}` };
    case 'told':
      return { says: `Told ${step?.kind === 'note' ? sayNoteTo(step.to) : 'a colleague'} of them: “${name}”` };
    case 'handed':
      return { says: `Handed over to ${saw.flow}` };
    case 'issued':
      return {
        says: `Issued “${name}”, a code of ${offers?.get(saw.offer ?? '')?.name ?? saw.offer}${saw.expires ? `, up to ${sayExpires(saw.expires, zone)}` : ''}`,
      };
    case 'withheld':
      return sayWithheld(name, saw.withheld, step?.kind === 'code' ? step.offer : '', wording, entry.at, offers);
    case 'sending': {
      const forms = (step?.kind === 'send' && step.versions) || [];
      const parts = (saw.looked ?? []).flatMap((seen, index) =>
        forms[index] ? [explain(forms[index].when, seen, wording, entry.at)] : [],
      );
      const form = forms.find(({ id }) => id === saw.form);
      const conditions = (step?.kind === 'send' && (form?.message ?? step.message).conditions) || [];
      const shown = (saw.shown ?? []).flatMap(({ id, seen }): Because[] => {
        const condition = conditions.find((one) => one.id === id);
        if (!condition) return [];
        const why = explain(condition.rule, seen, wording, entry.at);
        return [
          {
            holds: seen.holds,
            says: `“${condition.name}” ${seen.holds ? 'holds' : 'does not hold'}: what asks for it is ${seen.holds ? 'shown' : 'left out'}`,
            parts: [why],
          },
        ];
      });
      if (!parts.length && !shown.length) return { says: `Queued “${name}” to go out` };
      const chosen: Because | null = !parts.length
        ? null
        : form && parts.length === 1
          ? parts[0]!
          : { holds: true, says: form ? `first version that holds is “${form.name}”` : 'no version is theirs', parts };
      return {
        says: `Queued “${name}” to go out${chosen ? (form ? `, as “${form.name}”` : ', as everyone else gets it') : ''}`,
        because: chosen && !shown.length ? chosen : { holds: true, says: 'what is in it', parts: [...(chosen ? [chosen] : []), ...shown] },
      };
    }
    case 'skipped':
      if (saw.limited) return { says: `Did not send “${name}”: ${sayLimited(saw.limited)}` };
      if (saw.dropped) return { says: `Did not send “${name}”: it fell due while the flow was paused` };
      if (saw.codeOver) return { says: `Did not send “${name}”: the code in it is over` };
      if (saw.idea) return { says: 'Passed an idea: nothing happens there yet' };
      if (saw.hops) return { says: `Did not record “${name}”: flows had begun each other ${saw.hops} times` };
      return { says: `Did not send “${name}”: ${saw.obstacle ? sayObstacle(saw.obstacle) : 'this message is off'}` };
    case 'held':
      return { says: `Held “${name}”: ${saw.limited ? sayLimited(saw.limited) : 'by a limit'}` };
    case 'moved':
      if (saw.by) return { says: `Put at ${step ? sayStep(step) : 'another step'} by ${saw.by}` };
      return { says: `Moved to version ${saw.version}` };
    case 'control':
      return { says: `Drawn for the control group: gets nothing (${document.control ?? 0} % do)` };
    case 'goal':
      return {
        says: document.goal ? `Goal reached: ${sayGoal(document.goal, wordingOf(document, currency))}` : 'Goal reached',
      };
    case 'left':
      if (saw.window) return { says: 'Left: the last day of the flow is over' };
      if (saw.by) return { says: `Left: taken out by ${saw.by}` };
      return saw.merged
        ? { says: 'Left: two people turned out to be one, and their other run for the same goes on' }
        : ruled('Left: the stay rule no longer holds', document.stay);
    case 'completed':
      return { says: 'Went through to the end' };
  }
}

const sayHour = (hour: number): string => `${String(hour).padStart(2, '0')}:00`;

const sayFull = (most: number): string => `${most.toLocaleString('en-IE')} had entered that day, and no more do`;

const sayAwaited = (until: WaitUntil): string => ('event' in until ? sayEvent(until.event) : sayRule(until.rule, {}));

/** Says why no code was issued, with the rule that decided where one did. */
function sayWithheld(
  name: string,
  withheld: Withheld | undefined,
  key: string,
  wording: Wording,
  at: Instant,
  offers: Offers | undefined,
): Said {
  const offer = offers?.get(key);
  const says = (because: string) => `Issued no code “${name}”: ${because}`;
  if (!withheld) return { says: says('nothing says why') };
  switch (withheld.why) {
    case 'gone':
      return { says: says(`there is no offer ${key}`) };
    case 'over':
      return { says: says('the offer is over') };
    case 'spent':
      return { says: says('as many codes are out as the offer may have') };
    case 'lot':
      return { says: says('they were drawn to get none, so that it shows what the offer brings') };
    case 'dropped':
      return { says: says('it fell due while the flow was paused') };
    case 'hops':
      return { says: says('flows had begun each other too often') };
    case 'who':
      return {
        says: says('the offer is not for them'),
        ...(offer?.who && { because: explain(offer.who, withheld.seen, wording, at) }),
      };
    default:
      return {
        says: says(sayGuarded(withheld.why, offer?.guard ?? {})),
        ...(withheld.why === 'never' && offer?.guard.never && { because: explain(offer.guard.never, withheld.seen, wording, at) }),
      };
  }
}

type KeysOf<T> = T extends unknown ? keyof T : never;
