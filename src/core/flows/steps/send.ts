import * as z from 'zod';
import { gate, MESSAGE_SENT, ownLimitsSchema, type OwnLimits, type Passes } from '../../limits';
import {
  blocksOf,
  MOST_PARTS,
  messageSchema,
  namesCode,
  obstacleTo,
  placeholderProblem,
  renderProblem,
  smsLength,
  textsOf,
  withoutFallback,
  type Message,
} from '../../messages';
import { name, stepId } from '../parts';
import { CHANNEL_WORDS, eventsOf, ruleSchema, sayRule, type Rule, type Seen } from '../../rules';
import { codeHeld } from './code';
import type { FlowDocument } from '../document';
import type { Add, StepKind } from './kind';

const GO: Passes = { to: 'go' };

/** Another form of a message, for those of whom a rule holds: people who read another language, or another group. */
export interface MessageVersion {
  id: string;
  name: string;
  when: Rule;
  message: Message;
}

export interface SendStep {
  id: string;
  kind: 'send';
  name: string;
  off?: boolean;
  /** what it asks for itself beside the limits of the store */
  limits?: OwnLimits;
  /** what everyone else gets */
  message: Message;
  /** forms for some: the first whose rule holds is theirs. They go by the same channel and are of the same kind and topic */
  versions?: MessageVersion[];
}

/** How many forms a message has at most, beside that for everyone else. */
export const MOST_VERSIONS = 20;

/** The message of a step as those get it who were given a form of it; that for everyone else where none is named. */
export const messageOf = (step: SendStep, content: string | null | undefined): Message =>
  (content ? step.versions?.find(({ id }) => id === content)?.message : undefined) ?? step.message;

/** Every form of a message with what it is called: that for everyone else first. */
export const formsOf = (step: SendStep): readonly { readonly name: string; readonly message: Message }[] => [
  { name: step.name, message: step.message },
  ...(step.versions ?? []).map((one) => ({ name: `${step.name} (${one.name})`, message: one.message })),
];

/** A step with something changed in all of its forms. */
export const inAllForms = (step: SendStep, change: (message: Message) => Message): SendStep => ({
  ...step,
  message: change(step.message),
  ...(step.versions && { versions: step.versions.map((one) => ({ ...one, message: change(one.message) })) }),
});

export const sendSchema = z.strictObject({
  id: stepId,
  kind: z.literal('send'),
  name,
  off: z.boolean().optional(),
  limits: ownLimitsSchema.optional(),
  message: messageSchema,
  versions: z
    .array(z.strictObject({ id: stepId, name, when: ruleSchema, message: messageSchema }))
    .max(MOST_VERSIONS)
    .optional(),
});

export const sendKind: StepKind<SendStep> = {
  run(step, here) {
    if (step.off) {
      here.note('skipped', { saw: { off: true } });
      return { to: 'next' };
    }
    if (here.dropsDue) {
      here.note('skipped', { saw: { dropped: true } });
      return { to: 'next' };
    }
    const seen: Seen[] = [];
    const form = step.versions?.find(({ when }) => {
      const one = here.look(when);
      seen.push(one);
      return one.holds;
    });
    const message = form?.message ?? step.message;
    const code = namesCode(message) ? codeHeld(here.view.answers ?? {}) : null;
    if (code && code.expiresAt !== null && here.now >= code.expiresAt) {
      here.note('skipped', { saw: { codeOver: code.expiresAt } });
      return { to: 'next' };
    }
    const { kind, channel } = message;
    const obstacle = obstacleTo(message, here.facts.reach[channel], here.facts.declined, here.now);
    if (obstacle) {
      here.note('skipped', { saw: { obstacle } });
      return { to: 'next' };
    }
    const passes = here.limits
      ? gate({ kind, channel, own: step.limits }, eventsOf(here.facts, MESSAGE_SENT), here.limits, here.now, here.zone)
      : GO;
    if (passes.to === 'hold') {
      if (here.waitUntil !== passes.until) here.note('held', { saw: { limited: passes.because, until: passes.until } });
      return { to: 'wait', until: passes.until };
    }
    if (passes.to === 'skip') {
      here.note('skipped', { saw: { limited: passes.because } });
      return { to: 'next' };
    }
    here.do({ kind: 'send', marketing: kind === 'marketing', channel, ...(form && { content: form.id }) });
    here.note('sending', seen.length ? { saw: { form: form?.id ?? null, looked: seen } } : {});
    return { to: 'next' };
  },
  fresh: (id) => ({
    id,
    kind: 'send',
    name: 'New message',
    message: {
      schema: 'viatic.message/1',
      channel: 'email',
      kind: 'marketing',
      subject: '',
      preview: '',
      blocks: [{ id: 'b1', kind: 'text', text: '' }],
    },
  }),
  says: (step) => `Send “${step.name}”`,
  saysNext: (step) => `Send “${step.name}”`,
  rules: (step) => (step.versions ?? []).map(({ when }) => when),
  problems: ({ message, versions = [] }) =>
    versions.flatMap((one, index) => {
      const at = ['versions', index];
      const differs = (['channel', 'kind', 'topic'] as const).find((what) => one.message[what] !== message[what]);
      return [
        ...(versions.findIndex(({ id }) => id === one.id) < index
          ? [{ path: [...at, 'id'], message: `the id "${one.id}" is used twice; every version needs its own` }]
          : []),
        ...(differs
          ? [
              {
                path: [...at, 'message', differs],
                message: `must be that of the message for everyone else (${message[differs] ?? 'none'})`,
              },
            ]
          : []),
      ];
    }),
  check(step, add, flow) {
    if (step.off) add('message-off', 'warns', `“${step.name}” is off`, 'Switch the message on, or people pass by without getting it.');
    for (const form of formsOf(step)) checkForm(form, add, flow);
  },
  differs(was, is) {
    const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);
    const [old, now] = [was.message, is.message];
    return [
      ...(is.name === was.name ? [] : [`Message “${was.name}” is now called “${is.name}”`]),
      ...(Boolean(is.off) === Boolean(was.off) ? [] : [`“${is.name}” is switched ${is.off ? 'off' : 'on'}`]),
      ...(now.channel === old.channel ? differsWithin(is.name, old, now) : [`“${is.name}” goes out by ${CHANNEL_WORDS[now.channel].noun}`]),
      ...(same(is.limits ?? {}, was.limits ?? {}) ? [] : [`“${is.name}”: what it asks of the limits has changed`]),
      ...(now.kind === old.kind ? [] : [`“${is.name}” is now a ${now.kind} message`]),
      ...versionsDiffer(was, is),
    ];
  },
};

/** What is to be mended about one form of a message. */
function checkForm({ name, message }: { readonly name: string; readonly message: Message }, add: Add, flow: FlowDocument): void {
  const texts = textsOf(message);
  const has = (kind: string) => blocksOf(message).some((block) => block.kind === kind);
  if (message.channel === 'email') {
    if (!message.subject.trim()) add('no-subject', 'stops', `“${name}” has no subject`, 'Write a subject line.');
    if (!texts.slice(2).some((text) => text.trim()) && !has('cart') && !has('picture'))
      add('no-text', 'stops', `“${name}” is empty`, 'Write its text.');
  } else if (!message.text.trim()) add('no-text', 'stops', `“${name}” is empty`, 'Write its text.');
  if (message.channel === 'push' && !message.title.trim())
    add('no-subject', 'stops', `“${name}” has no title`, 'Write what stands first on the screen.');
  if (message.channel === 'sms') {
    const { parts, alphabet } = smsLength(message.text);
    if (parts > MOST_PARTS)
      add(
        'text-too-long',
        'stops',
        `“${name}” is ${parts} text messages long, and at most ${MOST_PARTS} go out as one`,
        'Make it shorter: what is longer would not go out.',
      );
    else if (parts > 3)
      add(
        'text-long',
        'warns',
        `“${name}” goes out as ${parts} text messages, and is paid as such`,
        alphabet === 'UCS-2' ? 'A sign beyond the plain alphabet makes each part shorter: 67 letters instead of 153.' : 'Make it shorter.',
      );
  }
  let isReadable = true;
  for (const text of texts) {
    const problem = placeholderProblem(text);
    if (problem) isReadable = false;
    if (problem) add('placeholder-unreadable', 'stops', `In “${name}” ${problem}`, 'Correct or remove the placeholder.');
    else {
      for (const path of withoutFallback(text)) {
        add(
          'no-fallback',
          'warns',
          `{{ ${path} }} in “${name}” has no fallback`,
          `Write {{ ${path} | fallback: "…" }} for people whose ${path.replace('person.', '')} is not known.`,
        );
      }
    }
  }
  const beyond = isReadable ? renderProblem(message) : null;
  if (beyond)
    add(
      'too-much-work',
      'stops',
      `“${name}” cannot be put together: ${beyond}`,
      'It has more work to do than a message may, such as a loop that goes on too long; make it shorter.',
    );
  if (message.kind === 'service' && has('offer'))
    add(
      'offer-in-service',
      'stops',
      `“${name}” is a service message with an offer`,
      'Service messages carry no offers: make it marketing or take the offer out.',
    );
  const other = flow.triggers.find((trigger) => !/^(cart|product)\./.test(trigger.event));
  if (message.kind === 'marketing' && has('cart') && other)
    add(
      'cart-without-cart',
      'warns',
      `“${name}” shows a cart, but ${other.event} starts this flow`,
      'Only events of a cart carry its items.',
    );
}

/** What differs between two forms of a message of one channel. */
function differsWithin(name: string, old: Message, now: Message): string[] {
  if (old.channel === 'email' && now.channel === 'email')
    return [
      ...(now.subject === old.subject ? [] : [`“${name}”, subject: “${now.subject}”`]),
      ...(now.preview === old.preview ? [] : [`“${name}”, preview line: “${now.preview}”`]),
      ...(JSON.stringify(now.blocks) === JSON.stringify(old.blocks) ? [] : [`“${name}”: the text has changed`]),
    ];
  return JSON.stringify(textsOf(now)) === JSON.stringify(textsOf(old)) ? [] : [`“${name}”: the text has changed`];
}

/** What differs between the forms for some of two messages. */
function versionsDiffer({ versions: were = [] }: SendStep, { name, versions: are = [] }: SendStep): string[] {
  const plain = (order: readonly MessageVersion[], of: readonly MessageVersion[]) =>
    order
      .map(({ id }) => id)
      .filter((id) => of.some((one) => one.id === id))
      .join();
  return [
    ...are.flatMap((now) => {
      const old = were.find(({ id }) => id === now.id);
      if (!old) return [`“${name}” has a version “${now.name}” for those of whom this holds: ${sayRule(now.when, {})}`];
      return [
        ...(now.name === old.name ? [] : [`“${name}”: version “${old.name}” is now called “${now.name}”`]),
        ...(JSON.stringify(now.when) === JSON.stringify(old.when)
          ? []
          : [`“${name}”: version “${now.name}” is for those of whom this holds: ${sayRule(now.when, {})}`]),
        ...(old.message.channel === now.message.channel ? differsWithin(`${name} (${now.name})`, old.message, now.message) : []),
      ];
    }),
    ...were.filter(({ id }) => !are.some((one) => one.id === id)).map((old) => `“${name}” has no version “${old.name}” any more`),
    ...(plain(were, are) === plain(are, were) ? [] : [`“${name}”: its versions are looked at in another order`]),
  ];
}
