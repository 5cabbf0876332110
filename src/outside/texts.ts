import { randomUUID } from 'node:crypto';
import { Webhook } from 'standardwebhooks';
import type { Config } from './config';
import { openJournal, type Journal } from './journal';
import type { Answer } from './page';
import { reporterTo } from './report';

/** A text message, or one for a locked screen, as it arrived. */
export interface Text {
  readonly id: string;
  readonly to: string;
  readonly from: string;
  readonly text: string;
  readonly title?: string;
  readonly url?: string;
  readonly picture?: string;
  readonly receivedAt: string;
  /** it was written by whoever has the handset */
  readonly isAnswer?: boolean;
}

/**
 * A gateway for text messages, or for messages to apps, with the handsets behind it. What it has had before it drops; what is not
 * signed it refuses. Numbers that end in 404 do not exist, and are reported so; with 503 it is busy at the first try.
 */
export function openTexts(
  config: Config,
  kind: 'sms' | 'push',
): {
  journal: Journal<Text>;
  take: (headers: Record<string, string>, body: string) => Answer;
  answer: (from: string, text: string) => Promise<void>;
} {
  const journal = openJournal<Text>(`${config.folder}/${kind}-texts.ndjson`);
  const known = new Set(journal.entries.map((text) => text.id));
  const busy = new Set<string>();
  const webhook = new Webhook(config.textHookSecret);
  const report = reporterTo(config, '/api/hooks/texts', config.textHookSecret);
  return {
    journal,
    take(headers, body) {
      let text: Omit<Text, 'receivedAt'>;
      try {
        text = webhook.verify(body, headers) as typeof text;
      } catch {
        return { status: 401, body: 'not signed' };
      }
      if (typeof text.to !== 'string' || !text.to || typeof text.text !== 'string') return { status: 400, body: 'no number or no text' };
      if (text.to.endsWith('503') && !busy.has(text.id)) {
        busy.add(text.id);
        return { status: 503, body: 'busy' };
      }
      if (!known.has(text.id)) {
        known.add(text.id);
        journal.add({ ...text, receivedAt: new Date().toISOString() });
      }
      const gone = text.to.endsWith('404');
      const told = gone
        ? { type: 'message.bounced', id: text.id, reason: 'number does not exist' }
        : { type: 'message.delivered', id: text.id };
      setTimeout(() => void report(`${told.type}-${text.id}`, told), 20);
      return { status: 202, body: 'taken' };
    },
    async answer(from, text) {
      const id = randomUUID();
      journal.add({ id, to: from, from, text, isAnswer: true, receivedAt: new Date().toISOString() });
      await report(id, { type: 'text.received', id, from, text });
    },
  };
}
