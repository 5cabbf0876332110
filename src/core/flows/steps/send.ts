import * as z from 'zod';
import { gate, MESSAGE_SENT, ownLimitsSchema, type OwnLimits, type Passes } from '../../limits';
import { checkMessage, messageSchema, namesCode, obstacleTo, textsOf, type Message } from '../../messages';
import { name, stepId } from '../parts';
import { CHANNEL_WORDS, eventsOf, ruleSchema, sayRule, type Rule, type Seen } from '../../rules';
import { codeHeld } from './code';
import type { StepKind } from './kind';

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

/** Whose rule asks for the language on file: that of a version in a language. */
export const inLanguage = (code: string): Rule => ({ test: 'attribute', name: 'language', op: 'startsWith', value: code });
const LIKE_A_CODE = /^[a-z]{2,3}(-[a-z\d]{1,8})*$/i;
/** The language for whose readers a version is; null where it is for others. */
export const languageOf = (when: Rule): string | null =>
  'test' in when &&
  when.test === 'attribute' &&
  when.name === 'language' &&
  when.op === 'startsWith' &&
  LIKE_A_CODE.test(String(when.value))
    ? String(when.value).toLowerCase()
    : null;

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
  actsOnce: true,
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
      ? gate(
          { personId: here.facts.personId, kind, channel, own: step.limits },
          eventsOf(here.facts, MESSAGE_SENT),
          here.limits,
          here.now,
          here.zone,
        )
      : GO;
    if (passes.to === 'hold') {
      if (here.waitUntil !== passes.until) here.note('held', { saw: { limited: passes.because, until: passes.until } });
      return { to: 'wait', until: passes.until };
    }
    if (passes.to === 'skip') {
      here.note('skipped', { saw: { limited: passes.because } });
      return { to: 'next' };
    }
    const shown = (message.conditions ?? []).map(({ id, rule }) => ({ id, seen: here.look(rule) }));
    const holds = shown.flatMap((one) => (one.seen.holds ? [one.id] : []));
    here.do({ kind: 'send', marketing: kind === 'marketing', channel, ...(form && { content: form.id }), ...(holds.length && { holds }) });
    const chosen = { form: form?.id ?? null, looked: seen };
    here.note('sending', shown.length ? { saw: { shown, ...(seen.length && chosen) } } : seen.length ? { saw: chosen } : {});
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
  rules: (step) => [
    ...(step.versions ?? []).map(({ when }) => when),
    ...formsOf(step).flatMap(({ message }) => (message.conditions ?? []).map(({ rule }) => rule)),
  ],
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
    const startedBy = flow.triggers.map(({ event }) => event);
    for (const { name, message } of formsOf(step))
      for (const { code, level, says, mend } of checkMessage(message, { name, startedBy })) add(code, level, says, mend);
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

/** What differs between two forms of a message of one channel. */
function differsWithin(name: string, old: Message, now: Message): string[] {
  if (old.channel === 'email' && now.channel === 'email')
    return [
      ...(now.subject === old.subject ? [] : [`“${name}”, subject: “${now.subject}”`]),
      ...(now.preview === old.preview ? [] : [`“${name}”, preview line: “${now.preview}”`]),
      ...(JSON.stringify(now.blocks) === JSON.stringify(old.blocks) ? [] : [`“${name}”: the text has changed`]),
      ...(JSON.stringify(now.conditions ?? []) === JSON.stringify(old.conditions ?? [])
        ? []
        : [`“${name}”: what is shown to whom has changed`]),
      ...(now.brand === old.brand ? [] : [`“${name}” is set in another brand`]),
      ...(now.replyTo === old.replyTo ? [] : [`Answers to “${name}” go to ${now.replyTo ?? 'the sender'}`]),
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
