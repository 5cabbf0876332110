import { z } from 'zod';
import { gate, MESSAGE_SENT, ownLimitsSchema, type OwnLimits, type Passes } from '../../limits';
import {
  blocksOf,
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
import { CHANNEL_WORDS, eventsOf } from '../../rules';
import { codeHeld } from './code';
import type { StepKind } from './kind';

const GO: Passes = { to: 'go' };

export interface SendStep {
  id: string;
  kind: 'send';
  name: string;
  off?: boolean;
  /** what it asks for itself beside the limits of the store */
  limits?: OwnLimits;
  message: Message;
}
export const sendSchema = z.strictObject({
  id: stepId,
  kind: z.literal('send'),
  name,
  off: z.boolean().optional(),
  limits: ownLimitsSchema.optional(),
  message: messageSchema,
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
    const code = namesCode(step.message) ? codeHeld(here.view.answers ?? {}) : null;
    if (code && code.expiresAt !== null && here.now >= code.expiresAt) {
      here.note('skipped', { saw: { codeOver: code.expiresAt } });
      return { to: 'next' };
    }
    const obstacle = obstacleTo(step.message, here.facts.reach[step.message.channel], here.facts.declined, here.now);
    if (obstacle) {
      here.note('skipped', { saw: { obstacle } });
      return { to: 'next' };
    }
    const { kind, channel } = step.message;
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
    here.do({ kind: 'send', marketing: kind === 'marketing', channel });
    here.note('sending');
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
  check(step, add, flow) {
    const { message } = step;
    if (step.off) add('message-off', 'warns', `“${step.name}” is off`, 'Switch the message on, or people pass by without getting it.');
    const texts = textsOf(message);
    if (message.channel === 'email') {
      if (!message.subject.trim()) add('no-subject', 'stops', `“${step.name}” has no subject`, 'Write a subject line.');
      if (!texts.slice(2).some((text) => text.trim()) && !blocksOf(message).some((block) => block.kind === 'cart'))
        add('no-text', 'stops', `“${step.name}” is empty`, 'Write its text.');
    } else if (!message.text.trim()) add('no-text', 'stops', `“${step.name}” is empty`, 'Write its text.');
    if (message.channel === 'push' && !message.title.trim())
      add('no-subject', 'stops', `“${step.name}” has no title`, 'Write what stands first on the screen.');
    if (message.channel === 'sms') {
      const { parts, alphabet } = smsLength(message.text);
      if (parts > 3)
        add(
          'text-long',
          'warns',
          `“${step.name}” goes out as ${parts} text messages, and is paid as such`,
          alphabet === 'UCS-2'
            ? 'A sign beyond the plain alphabet makes each part shorter: 67 letters instead of 153.'
            : 'Make it shorter.',
        );
    }
    let isReadable = true;
    for (const text of texts) {
      const problem = placeholderProblem(text);
      if (problem) isReadable = false;
      if (problem) add('placeholder-unreadable', 'stops', `In “${step.name}” ${problem}`, 'Correct or remove the placeholder.');
      else {
        for (const path of withoutFallback(text)) {
          add(
            'no-fallback',
            'warns',
            `{{ ${path} }} in “${step.name}” has no fallback`,
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
        `“${step.name}” cannot be put together: ${beyond}`,
        'It has more work to do than a message may, such as a loop that goes on too long; make it shorter.',
      );
    const has = (kind: string) => blocksOf(message).some((block) => block.kind === kind);
    if (message.kind === 'service' && has('offer'))
      add(
        'offer-in-service',
        'stops',
        `“${step.name}” is a service message with an offer`,
        'Service messages carry no offers: make it marketing or take the offer out.',
      );
    const other = flow.triggers.find((trigger) => !/^(cart|product)\./.test(trigger.event));
    if (message.kind === 'marketing' && has('cart') && other)
      add(
        'cart-without-cart',
        'warns',
        `“${step.name}” shows a cart, but ${other.event} starts this flow`,
        'Only events of a cart carry its items.',
      );
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
    ];
  return JSON.stringify(textsOf(now)) === JSON.stringify(textsOf(old)) ? [] : [`“${name}”: the text has changed`];
}
