import { randomUUID } from 'node:crypto';
import type { Db } from '@/data/db';
import { ownerOfSend } from '@/data/messages';
import { countDownload } from '@/data/public';
import { recordOwn } from '../ingest';
import { readAgent } from './agent';
import type { LinkToken } from './links';
import { log } from '../base';

/**
 * Records that a message was opened or a link in it clicked. A click means that it was opened, whether its pictures
 * were shown or not. A failure here never keeps a person from where the link leads.
 */
export async function noteTouch(db: Db, link: LinkToken, type: 'message.opened' | 'message.clicked', agent: string | null): Promise<void> {
  try {
    const send = await ownerOfSend(db, link.sendId);
    if (!send) return;
    const { sendId } = link;
    const { person_id: personId, flow, step, channel } = send;
    const about = { sendId, flow, step, channel, ...readAgent(agent) };
    // of a text nobody knows that it was read, but by a click
    await recordOwn(db, { personId, type: 'message.opened', eventId: `message.opened/${sendId}`, properties: about });
    if (type === 'message.clicked')
      await recordOwn(db, {
        personId,
        type,
        eventId: `message.clicked/${sendId}/${randomUUID()}`,
        properties: { ...about, url: link.url ?? '' },
      });
  } catch (error) {
    log.error({ touch: (error as Error).message });
  }
}

/** Records that somebody has unsubscribed by a message, so that the message is known that led to it. A failure here keeps nobody from leaving. */
export async function noteLeaving(db: Db, { sendId }: LinkToken): Promise<void> {
  try {
    const send = await ownerOfSend(db, sendId);
    if (!send) return;
    const { person_id: owner, flow, step, channel } = send;
    const eventId = `message.unsubscribed/${sendId}`;
    await recordOwn(db, { personId: owner, type: 'message.unsubscribed', eventId, properties: { sendId, flow, step, channel } });
  } catch (error) {
    log.error({ leaving: (error as Error).message });
  }
}

/** Records that a file of a letter was fetched: on the file, and, where it was somebody's letter, as an event of theirs. */
export async function noteDownload(db: Db, { sendId, file }: LinkToken, name: string, agent: string | null): Promise<void> {
  try {
    await countDownload(db, file!.key);
    const send = await ownerOfSend(db, sendId);
    if (!send) return;
    const { person_id: owner, flow, step, channel } = send;
    const about = { sendId, flow, step, channel, file: file!.key, name, ...readAgent(agent) };
    await recordOwn(db, {
      personId: owner,
      type: 'file.downloaded',
      eventId: `file.downloaded/${sendId}/${randomUUID()}`,
      properties: about,
    });
  } catch (error) {
    log.error({ download: (error as Error).message });
  }
}

/** Records the answer to a question of a letter, once for each answer to it; and what somebody says to it, as an event of its own. */
export async function noteRating(db: Db, { sendId, rating }: LinkToken, words: string): Promise<void> {
  const send = await ownerOfSend(db, sendId);
  if (!send || !rating) return;
  const { person_id: owner, flow, step, channel } = send;
  const about = { sendId, flow, step, channel, block: rating.block, value: rating.value };
  const name = `${sendId}/${rating.block}/${rating.value}`;
  await recordOwn(db, { personId: owner, type: 'rating.given', eventId: `rating.given/${name}`, properties: about });
  if (words)
    await recordOwn(db, {
      personId: owner,
      type: 'rating.explained',
      eventId: `rating.explained/${name}`,
      properties: { ...about, words },
    });
}
