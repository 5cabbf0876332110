import * as z from 'zod';
import { barrierOf, sayBarrier, type Barrier, type Channel, type Reach } from '../rules';
import type { Instant } from '../time';

const text = (max: number) => z.string().max(max);
const blockId = z.string().regex(/^[a-z0-9-]{1,40}$/, 'is not a block id; use a-z, 0-9 and -');

const textBlock = z.strictObject({ id: blockId, kind: z.literal('text'), text: text(10_000) });
const buttonBlock = z.strictObject({ id: blockId, kind: z.literal('button'), label: text(120), url: text(2000) });
const cartBlock = z.strictObject({ id: blockId, kind: z.literal('cart') });
const headingBlock = z.strictObject({ id: blockId, kind: z.literal('heading'), text: text(300) });
/** A picture: its address, what it shows for who cannot see it, and where it leads. */
const pictureBlock = z.strictObject({
  id: blockId,
  kind: z.literal('picture'),
  url: text(2000),
  alt: text(300),
  link: text(2000).optional(),
});
const dividerBlock = z.strictObject({ id: blockId, kind: z.literal('divider') });
const offerBlock = z.strictObject({ id: blockId, kind: z.literal('offer'), text: text(500) });

export const blockSchema = z.discriminatedUnion('kind', [
  textBlock,
  headingBlock,
  pictureBlock,
  buttonBlock,
  dividerBlock,
  cartBlock,
  offerBlock,
]);
export type Block = z.infer<typeof blockSchema>;
export const BLOCK_KINDS = ['text', 'heading', 'picture', 'button', 'divider', 'cart', 'offer'] as const satisfies readonly Block['kind'][];

/** A new block of a kind. */
export function freshBlock(kind: Block['kind'], id: string): Block {
  switch (kind) {
    case 'text':
    case 'heading':
    case 'offer':
      return { id, kind, text: '' };
    case 'picture':
      return { id, kind, url: '', alt: '' };
    case 'button':
      return { id, kind, label: 'Open', url: '' };
    case 'divider':
    case 'cart':
      return { id, kind };
  }
}

/** An id that no block of a message has yet. */
export function freeBlockId(blocks: readonly Block[]): string {
  const taken = new Set(blocks.map(({ id }) => id));
  for (let n = blocks.length + 1; ; n++) if (!taken.has(`b${n}`)) return `b${n}`;
}

/** All texts of a block in which placeholders may stand. */
export const textsOfBlock = (block: Block): string[] =>
  'text' in block
    ? [block.text]
    : block.kind === 'button'
      ? [block.label, block.url]
      : block.kind === 'picture'
        ? [block.alt, block.url, block.link ?? '']
        : [];

const oneLine = (max: number) => text(max).refine((s) => !/[\r\n]/.test(s), 'must stay on one line');
const common = {
  schema: z.literal('viatic.message/1'),
  kind: z.enum(['marketing', 'service']),
  /** what a marketing message is about: somebody who declined the topic does not get it */
  topic: z.string().min(1).max(40).optional(),
};

const emailSchema = z.strictObject({
  ...common,
  channel: z.literal('email'),
  subject: oneLine(300),
  preview: text(300),
  blocks: z.array(blockSchema).max(60),
});
/** A text message. As how many parts it goes out is known when it is filled in; a long one is told of where it is written. */
const smsSchema = z.strictObject({ ...common, channel: z.literal('sms'), text: text(10_000) });
/** What an app shows on a locked screen, and where it leads. */
const pushSchema = z.strictObject({ ...common, channel: z.literal('push'), title: oneLine(120), text: text(500), url: text(2000) });

/**
 * The content of one message, `viatic.message/1`, by the channel it goes by: an email has a subject, the preview line that inboxes
 * show beside it, and blocks. Texts may hold placeholders such as {{ person.firstName | fallback: "there" }}.
 */
export const messageSchema = z.discriminatedUnion('channel', [emailSchema, smsSchema, pushSchema]);
export type Message = z.infer<typeof messageSchema>;
export type Email = z.infer<typeof emailSchema>;
export type Sms = z.infer<typeof smsSchema>;
export type Push = z.infer<typeof pushSchema>;

/** The blocks of a message: only an email has such. */
export const blocksOf = (message: Message): readonly Block[] => (message.channel === 'email' ? message.blocks : []);

/** All texts of a message in which placeholders may stand. */
export function textsOf(message: Message): string[] {
  switch (message.channel) {
    case 'sms':
      return [message.text];
    case 'push':
      return [message.title, message.text, message.url];
    case 'email':
      return [message.subject, message.preview, ...message.blocks.flatMap(textsOfBlock)];
  }
}

/** What a message is known by in a list, before placeholders are filled in. */
export const headOf = (message: Message): string =>
  message.channel === 'email' ? message.subject : message.channel === 'push' ? message.title : message.text;

/** A message on another channel: what it says goes with it, as far as there is a place for it. */
export function onChannel(message: Message, channel: Channel): Message {
  if (message.channel === channel) return message;
  const { schema, kind, topic } = message;
  const common = { schema, kind, ...(topic !== undefined && { topic }) };
  const text =
    message.channel === 'email'
      ? message.blocks.flatMap((block) => ('text' in block && block.text.trim() ? [block.text.trim()] : [])).join('\n\n')
      : message.text;
  const url =
    message.channel === 'email'
      ? (message.blocks.find((block) => block.kind === 'button')?.url ?? '')
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
