import { onChannel } from '../messages';
import type { Rule } from '../rules';
import { approximateMs, joinDuration, splitDuration } from '../time';
import type { Step } from './document';
import { freshStep } from './steps';

/** What was typed, as a step: what it says, and the step with the id that was asked for. */
export interface Typed {
  readonly step: Step;
  /** whether nothing of the words was understood, so that they are kept as an idea */
  readonly isIdea: boolean;
}

/** Makes a condition of words, where they mean one. */
export type RuleOf = (words: string) => Rule | null;

const UNITS: readonly (readonly [RegExp, Parameters<typeof joinDuration>[1]])[] = [
  [/^(m|min|mins|minutes?)$/i, 'minutes'],
  [/^(h|hrs?|hours?)$/i, 'hours'],
  [/^(d|days?)$/i, 'days'],
  [/^(w|wks?|weeks?)$/i, 'weeks'],
];
const LENGTH = /^(\d{1,4})\s*([a-z]+)\b\s*/i;

/** Reads a length at the beginning of words: "2 d", "90 min", "3 weeks"; and what follows it. */
function readLength(words: string): { length: string; rest: string } | null {
  const found = LENGTH.exec(words);
  const unit = found && UNITS.find(([word]) => word.test(found[2]!))?.[1];
  if (!found || !unit || Number(found[1]) === 0) return null;
  return { length: joinDuration(Number(found[1]), unit), rest: words.slice(found[0].length) };
}

const EVENT = /^(?:until|for|or)\s+([a-z][a-z0-9_]*\.[a-z0-9_.]+)$/i;
/** As a name: what is left of the words, the first letter large. */
const nameOf = (words: string, otherwise: string): string => {
  const plain = words
    .trim()
    .replace(/^[“"']|[”"']$/g, '')
    .slice(0, 80)
    .trim();
  return plain ? plain[0]!.toUpperCase() + plain.slice(1) : otherwise;
};
const keyOf = (words: string) =>
  words
    .trim()
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '')
    .slice(0, 60);

type Make = (words: string, id: string, ruleOf: RuleOf) => Step | null;

const wait: Make = (words, id) => {
  const length = readLength(words);
  const rest = length ? length.rest.trim() : words.trim();
  if (!length && rest) {
    const event = EVENT.exec(rest)?.[1];
    return event ? { id, kind: 'wait', for: 'P3D', until: { event } } : null;
  }
  if (!length) return freshStep('wait', id);
  if (!rest) return { id, kind: 'wait', for: length.length };
  const event = EVENT.exec(rest)?.[1];
  return event ? { id, kind: 'wait', for: length.length, until: { event } } : null;
};

const send =
  (channel: 'email' | 'sms' | 'push'): Make =>
  (words, id) => {
    const step = freshStep('send', id);
    if (step.kind !== 'send') return null;
    return { ...step, name: nameOf(words, step.name), message: onChannel(step.message, channel) };
  };

const AMOUNT = /^(?:by\s+)?([a-z_][\w.]*)\s+(?:over|above|from|at least|>=?)?\s*(\d+(?:\.\d+)?)$/i;
const branch: Make = (words, id, ruleOf) => {
  const step = freshStep('branch', id);
  if (step.kind !== 'branch') return null;
  const [first, rest] = step.arms as [(typeof step.arms)[0], (typeof step.arms)[0]];
  const put = (name: string, one: string, other: string, when: Rule): Step => ({
    ...step,
    name,
    arms: [
      { ...first, name: one.slice(0, 80), when },
      { ...rest, name: other },
    ],
  });
  const amount = AMOUNT.exec(words.trim());
  if (amount) {
    const [, property, least] = amount as unknown as [string, string, string];
    return put(nameOf(`by ${property}`, step.name), `${least} and up`, `Below ${least}`, {
      test: 'trigger',
      property,
      op: 'atLeast',
      value: Number(least),
    });
  }
  if (/^(by\s+)?value$/i.test(words.trim()))
    return put('By value', '100 and up', 'Below 100', { test: 'trigger', property: 'value', op: 'atLeast', value: 100 });
  const rule = words.trim() ? ruleOf(words) : null;
  if (rule) return put(nameOf(words, step.name), nameOf(words, first.name), rest.name, rule);
  return { ...step, name: nameOf(words, step.name) };
};

const test: Make = (words, id) => {
  const step = freshStep('test', id);
  if (step.kind !== 'test') return null;
  const shares = /\b(\d{1,3})\s*[/:]\s*(\d{1,3})\s*$/.exec(words);
  const name = nameOf(shares ? words.slice(0, shares.index) : words, step.name);
  if (!shares) return { ...step, name };
  return { ...step, name, arms: step.arms.map((arm, index) => ({ ...arm, share: Number(shares[index + 1] ?? 0) })) };
};

const named =
  (kind: 'note' | 'task' | 'call' | 'record' | 'update' | 'hand' | 'lookup' | 'code', more?: (words: string) => object): Make =>
  (words, id) => {
    const step = freshStep(kind, id);
    if (!('name' in step)) return null;
    return { ...step, name: nameOf(words, step.name), ...(words.trim() && more?.(words.trim())) } as Step;
  };

const change =
  (make: (words: string) => object | null): Make =>
  (words, id) => {
    const changes = words.trim() ? make(words.trim()) : null;
    return changes ? ({ id, kind: 'update', name: 'Update', changes: [changes] } as Step) : null;
  };

/** The words that begin a step, the longest first where one begins another. */
const BEGINNINGS: readonly (readonly [RegExp, Make])[] = [
  [/^(wait|pause)\b/i, wait],
  [/^(send|message|e-?mail|mail|letter)\b/i, send('email')],
  [/^(sms|text)\b/i, send('sms')],
  [/^push\b/i, send('push')],
  [/^(branch|if|split)\b/i, branch],
  [/^test\b/i, test],
  [/^(discount code|code|offer)\b/i, named('code', (words) => (keyOf(words) ? { offer: keyOf(words) } : {}))],
  [/^tag\b/i, change((tag) => ({ do: 'tag', tag: tag.slice(0, 60) }))],
  [/^untag\b/i, change((tag) => ({ do: 'untag', tag: tag.slice(0, 60) }))],
  [/^(put on|add to|list)\b/i, change((list) => (keyOf(list) ? { do: 'list', list: keyOf(list) } : null))],
  [/^update\b/i, named('update')],
  [/^record\b/i, named('record', (words) => (/^[a-z][a-z0-9_]*\.[a-z0-9_]+$/.test(words) ? { event: words } : {}))],
  [/^look ?up\b/i, named('lookup', (words) => (keyOf(words) ? { table: keyOf(words) } : {}))],
  [/^task\b/i, named('task')],
  [/^(note|tell)\b/i, named('note')],
  [/^call\b/i, named('call')],
  [/^(hand over to|hand over|hand)\b/i, named('hand', (words) => (keyOf(words) ? { flow: keyOf(words) } : {}))],
  [/^(end|stop here)$/i, (_, id) => freshStep('end', id)],
];

/**
 * Makes a step of what somebody types: "wait 2 d", "send Reminder", "branch value 100", "test 50/50", "tag vip", "end"; a bare
 * length is a wait. Whatever else it says is kept word for word as an idea, so nothing that is typed is refused; null for no words.
 */
export function typedStep(words: string, id: string, ruleOf: RuleOf = () => null): Typed | null {
  const plain = words.trim().replace(/\s+/g, ' ');
  if (!plain) return null;
  const length = readLength(plain);
  if (length) {
    const step = wait(plain, id, ruleOf);
    if (step) return { step, isIdea: false };
  }
  for (const [beginning, make] of BEGINNINGS) {
    const found = beginning.exec(plain);
    const step = found && make(plain.slice(found[0].length).trim(), id, ruleOf);
    if (step) return { step, isIdea: false };
  }
  const idea = plain.replace(/^idea:?\s+/i, '').slice(0, 500);
  return { step: { id, kind: 'idea', text: idea }, isIdea: true };
}

const SHORT = { minutes: 'min', hours: 'h', days: 'd', weeks: 'w' } as const;

/** A step as it can be typed, so that its line can be edited in place; null for what cannot be said in a line. */
export function typedWords(step: Step): string | null {
  switch (step.kind) {
    case 'wait': {
      const { for: length, date, parcel, hours, until, arms } = step;
      const split = length && !date && !parcel && !hours && !arms ? splitDuration(length) : null;
      if (!split || (until && (!('event' in until) || until.where))) return null;
      return `wait ${split.amount} ${SHORT[split.unit]}${until && 'event' in until ? ` until ${until.event}` : ''}`;
    }
    case 'send':
      return `${step.message.channel === 'email' ? 'send' : step.message.channel} ${step.name}`;
    case 'idea':
      return step.text;
    case 'end':
      return null;
    case 'update':
      return `update ${step.name}`;
    default:
      return `${step.kind === 'lookup' ? 'look up' : step.kind === 'hand' ? 'hand over' : step.kind} ${step.name}`;
  }
}

/**
 * A step with its line typed anew: of the same kind it keeps all that the line does not say; an idea becomes what it says. Null where
 * the words say another kind of step than a real one has: that would throw away what stands in it.
 */
export function retyped(step: Step, words: string, ruleOf?: RuleOf): Step | null {
  const typed = typedStep(words, step.id, ruleOf)?.step;
  if (!typed) return null;
  if (step.kind === 'idea') return typed;
  if (typed.kind !== step.kind) return null;
  if (typed.kind === 'wait' && step.kind === 'wait') {
    const { for: _, until: __, ...rest } = step;
    return { ...rest, ...(typed.for && { for: typed.for }), ...(typed.until && { until: typed.until }) };
  }
  if (typed.kind === 'send' && step.kind === 'send')
    return { ...step, name: typed.name, message: onChannel(step.message, typed.message.channel) };
  return 'name' in typed && 'name' in step ? ({ ...step, name: typed.name } as Step) : null;
}

/** How long a step stands still by its line alone, in milliseconds: a plain wait of a length; null for anything else. */
export function plainWaitMs(step: Step | undefined): number | null {
  if (step?.kind !== 'wait' || !step.for || step.date || step.parcel || step.hours || step.until || step.arms) return null;
  return approximateMs(step.for);
}
