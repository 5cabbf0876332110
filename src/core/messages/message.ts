import * as z from 'zod';
import { barrierOf, ruleSchema, sayBarrier, type Barrier, type Channel, type Reach } from '../rules';
import type { Instant } from '../time';
import { blockSchema, everyBlock, fieldsOfBlock, mapBlocks, partId, textsOfBlock, type Block } from './block';
import { languageSchema } from './languages';

const text = (max: number) => z.string().max(max);

const oneLine = (max: number) => text(max).refine((s) => !/[\r\n]/.test(s), 'must stay on one line');
/** How many conditions a message has at most. */
export const MOST_CONDITIONS = 20;

const common = {
  schema: z.literal('viatic.message/1'),
  kind: z.enum(['marketing', 'service']),
  /** what a marketing message is about: somebody who declined the topic does not get it */
  topic: z.string().min(1).max(40).optional(),
  /** the message of the library that it was made of, and as which revision */
  from: z.strictObject({ key: z.string().max(60), revision: z.int().min(1) }).optional(),
  /** rules that parts of the message ask for by their id: a block is shown to some, a sentence says something else to others */
  conditions: z
    .array(z.strictObject({ id: partId, name: text(80), rule: ruleSchema }))
    .max(MOST_CONDITIONS)
    .optional(),
};

const emailSchema = z.strictObject({
  ...common,
  channel: z.literal('email'),
  subject: oneLine(300),
  preview: text(300),
  blocks: z.array(blockSchema).max(60),
  /** who it is from, where that is not the store's own sender; by the key of a sender on file */
  sender: z.string().max(60).optional(),
  /** where answers go, where they do not go to the sender */
  replyTo: z.email().max(254).optional(),
  /** files that go with it, by their keys: of service messages only */
  attachments: z
    .array(z.string().regex(/^[A-Za-z0-9_-]{10,40}$/, 'is not the key of a file'))
    .max(5)
    .optional(),
  /** the brand it is set in, where that is not the store's first */
  brand: z.string().max(60).optional(),
  /** the language it is written in, where that is not the store's first */
  language: languageSchema.optional(),
});
/** A text message. As how many parts it goes out is known when it is filled in; a long one is told of where it is written. */
const smsSchema = z.strictObject({ ...common, channel: z.literal('sms'), text: text(10_000) });
/** What an app shows on a locked screen, and where it leads. */
const pushSchema = z.strictObject({
  ...common,
  channel: z.literal('push'),
  title: oneLine(120),
  text: text(500),
  url: text(2000),
  /** the address of a picture, where there is one */
  picture: text(2000).optional(),
});

/**
 * The content of one message, `viatic.message/1`, by the channel it goes by: an email has a subject, the preview line that inboxes
 * show beside it, and blocks. Texts may hold placeholders such as {{ person.firstName | fallback: "there" }}.
 */
export const messageSchema = z.discriminatedUnion('channel', [emailSchema, smsSchema, pushSchema]).superRefine((message, context) => {
  const known = new Set(message.conditions?.map(({ id }) => id));
  for (const { id, path } of conditionsAsked(message))
    if (!known.has(id)) context.addIssue({ code: 'custom', path, message: `asks for a condition that the message does not have: ${id}` });
});
export type Message = z.infer<typeof messageSchema>;
export type Email = z.infer<typeof emailSchema>;
export type Sms = z.infer<typeof smsSchema>;
export type Push = z.infer<typeof pushSchema>;

/** Which conditions the blocks of a message ask for, with the place. */
function conditionsAsked(message: {
  readonly channel: string;
  readonly blocks?: readonly Block[];
}): { id: string; path: (string | number)[] }[] {
  const of = (one: { only?: string | undefined; unless?: string | undefined }, path: (string | number)[]) =>
    (['only', 'unless'] as const).flatMap((field) => (one[field] === undefined ? [] : [{ id: one[field], path: [...path, field] }]));
  return (message.blocks ?? []).flatMap((block, n) => [
    ...of(block, ['blocks', n]),
    ...(block.kind === 'columns'
      ? block.columns.flatMap((column, c) => [
          ...of(column, ['blocks', n, 'columns', c]),
          ...column.blocks.flatMap((one, m) => of(one, ['blocks', n, 'columns', c, 'blocks', m])),
        ])
      : []),
  ]);
}

/** A rule that a message asks for by its id. */
export type Condition = NonNullable<Message['conditions']>[number];

/** The blocks of a message: only an email has such. */
export const blocksOf = (message: Message): readonly Block[] => (message.channel === 'email' ? message.blocks : []);

/** All texts of a message in which placeholders may stand. */
export function textsOf(message: Message): string[] {
  switch (message.channel) {
    case 'sms':
      return [message.text];
    case 'push':
      return [message.title, message.text, message.url, ...(message.picture ? [message.picture] : [])];
    case 'email':
      return [message.subject, message.preview, ...message.blocks.flatMap(textsOfBlock)];
  }
}

/** A message with each text in which placeholders may stand changed. */
export function mapTexts(message: Message, change: (text: string) => string): Message {
  switch (message.channel) {
    case 'sms':
      return { ...message, text: change(message.text) };
    case 'push':
      return {
        ...message,
        title: change(message.title),
        text: change(message.text),
        url: change(message.url),
        ...(message.picture !== undefined && { picture: change(message.picture) }),
      };
    case 'email':
      return {
        ...message,
        subject: change(message.subject),
        preview: change(message.preview),
        blocks: mapBlocks(message.blocks, (block) => ({
          ...block,
          ...Object.fromEntries(
            Object.entries(fieldsOfBlock(block)).flatMap(([field, text]) => (field in block ? [[field, change(text)]] : [])),
          ),
        })),
      };
  }
}

/** What a message is known by in a list, before placeholders are filled in. */
export const headOf = (message: Message): string =>
  message.channel === 'email' ? message.subject : message.channel === 'push' ? message.title : message.text;

/** A message on another channel: what it says goes with it, as far as there is a place for it. */
export function onChannel(message: Message, channel: Channel): Message {
  if (message.channel === channel) return message;
  const { schema, kind, topic, conditions } = message;
  const common = { schema, kind, ...(topic !== undefined && { topic }), ...(conditions && { conditions }) };
  const text =
    message.channel === 'email'
      ? everyBlock(message.blocks)
          .flatMap((block) => ('text' in block && block.text.trim() ? [block.text.trim()] : []))
          .join('\n\n')
      : message.text;
  const url =
    message.channel === 'email'
      ? (everyBlock(message.blocks).find((block) => block.kind === 'button')?.url ?? '')
      : message.channel === 'push'
        ? message.url
        : '';
  const head = headOf(message).replace(/[\r\n]+/g, ' ');
  switch (channel) {
    case 'email':
      return {
        ...common,
        channel,
        subject: head.slice(0, 300),
        preview: '',
        blocks: [{ id: 'b1', kind: 'text', text }, ...(url ? [{ id: 'b2', kind: 'button' as const, label: 'Open', url }] : [])],
      };
    case 'sms':
      return { ...common, channel, text: [text, url].filter(Boolean).join(' ') };
    case 'push':
      return { ...common, channel, title: head.slice(0, 120), text: text.slice(0, 500), url };
  }
}

/** What stands for something in the messages of a run that has been issued a code. */
const OF_CODE = /\boffer\.(code|expires|terms)\b/;

/** Whether a message, or a part of it, names the code that its run has been issued. */
export const namesCode = (part: Message | Block): boolean => OF_CODE.test(JSON.stringify(part));

/** What keeps a message from going to somebody: data, said by {@link sayObstacle}. */
export type Obstacle = Barrier | { readonly kind: 'declined'; readonly topic: string };

/** What keeps a message from going to somebody at this moment, or null when it may. Service messages need just an address. */
export function obstacleTo(
  message: Pick<Message, 'kind' | 'topic'>,
  reach: Reach,
  declined: readonly string[],
  now: Instant,
): Obstacle | null {
  if (message.kind === 'service') return reach.hasAddress ? null : { kind: 'no-address' };
  const barrier = barrierOf(reach, now);
  if (barrier) return barrier;
  return message.topic !== undefined && declined.includes(message.topic) ? { kind: 'declined', topic: message.topic } : null;
}

/** Says why a message does not go out. */
export const sayObstacle = (obstacle: Obstacle): string =>
  obstacle.kind === 'declined' ? `does not want to read about ${obstacle.topic}` : sayBarrier(obstacle);

/** Why a message does not go to somebody at this moment, in words, or null when it may. */
export function notSentBecause(
  message: Pick<Message, 'kind' | 'topic'>,
  reach: Reach,
  declined: readonly string[],
  now: Instant,
): string | null {
  const obstacle = obstacleTo(message, reach, declined, now);
  return obstacle && sayObstacle(obstacle);
}

/** A letter of a few words, as they are written by hand. */
export const plainLetter = ({ kind, subject, text }: { kind: Email['kind']; subject: string; text: string }): Email => ({
  schema: 'viatic.message/1',
  channel: 'email',
  kind,
  subject: subject.replace(/[\r\n]+/g, ' '),
  preview: '',
  blocks: [{ id: 'text', kind: 'text', text }],
});
