import { z } from 'zod';
import { barrierOf, sayBarrier, type Barrier, type Reach } from '../rules';
import type { Instant } from '../time';

const text = (max: number) => z.string().max(max);
const blockId = z.string().regex(/^[a-z0-9-]{1,40}$/, 'is not a block id; use a-z, 0-9 and -');

const textBlock = z.strictObject({ id: blockId, kind: z.literal('text'), text: text(10_000) });
const buttonBlock = z.strictObject({ id: blockId, kind: z.literal('button'), label: text(120), url: text(2000) });
const cartBlock = z.strictObject({ id: blockId, kind: z.literal('cart') });
const offerBlock = z.strictObject({ id: blockId, kind: z.literal('offer'), text: text(500) });

export const blockSchema = z.discriminatedUnion('kind', [textBlock, buttonBlock, cartBlock, offerBlock]);
export type Block = z.infer<typeof blockSchema>;

/**
 * The content of one email, `viatic.message/1`: a subject, the preview line that inboxes show beside it, and blocks.
 * Texts may hold placeholders such as {{ person.firstName | fallback: "there" }}.
 */
export const messageSchema = z.strictObject({
  schema: z.literal('viatic.message/1'),
  channel: z.literal('email'),
  kind: z.enum(['marketing', 'service']),
  /** what a marketing message is about: somebody who declined the topic does not get it */
  topic: z.string().min(1).max(40).optional(),
  subject: text(300).refine((s) => !/[\r\n]/.test(s), 'must stay on one line'),
  preview: text(300),
  blocks: z.array(blockSchema).max(60),
});
export type Message = z.infer<typeof messageSchema>;

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
