import { randomUUID } from 'node:crypto';
import type { Db } from '@/data/db';
import { ownerOfSend } from '@/data/messages';
import { recordOwn } from '../ingest';
import type { LinkToken } from './links';
import { log } from '../base';

/**
 * Records that a message was opened or a link in it clicked. A click means that it was opened, whether its pictures
 * were shown or not. A failure here never keeps a person from where the link leads.
 */
export async function noteTouch(db: Db, link: LinkToken, type: 'message.opened' | 'message.clicked'): Promise<void> {
  try {
    const personId = await ownerOfSend(db, { personId: link.personId, id: link.sendId });
    if (!personId) return;
    const { sendId } = link;
    await recordOwn(db, { personId, type: 'message.opened', eventId: `message.opened/${sendId}`, properties: { sendId } });
    if (type === 'message.clicked')
      await recordOwn(db, {
        personId,
        type,
        eventId: `message.clicked/${sendId}/${randomUUID()}`,
        properties: { sendId, url: link.url ?? '' },
      });
  } catch (error) {
    log.error({ touch: (error as Error).message });
  }
}
