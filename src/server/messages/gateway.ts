import { createHmac } from 'node:crypto';
import { Webhook } from 'standardwebhooks';
import type { Handed } from './mail';

/** A text message, or one for a locked screen, as a gateway gets it. */
export interface Text {
  /** the same at each try: a gateway drops what it has had before */
  readonly id: string;
  readonly to: string;
  readonly from: string;
  readonly text: string;
  /** of one for a locked screen */
  readonly title?: string;
  readonly url?: string;
  readonly picture?: string;
  /** whom who carries it may write to about it: the store */
  readonly contact: string;
}

/** Hands text messages to those who carry them further. */
export interface Gateway {
  /** Transient failures (5xx, 429, no connection, no answer) throw, so that it is tried again. */
  send(text: Text): Promise<Handed>;
}

const LONGEST_MS = 20_000;

/** Raised when a gateway does not take a message for now. */
export class GatewayBusy extends Error {}

/**
 * A gateway that is spoken to by signed POSTs of JSON (Standard Webhooks); without an address it refuses all. What it takes it
 * answers with 2xx; 4xx is a refusal for good.
 */
export function openGateway(url: string, secret: string, what: string): Gateway {
  return {
    async send(text) {
      if (!url) return { taken: false, reason: `no gateway for ${what} is set up` };
      const body = JSON.stringify(text);
      const at = new Date();
      let answer: Response;
      try {
        answer = await fetch(url, {
          method: 'POST',
          body,
          redirect: 'error',
          signal: AbortSignal.timeout(LONGEST_MS),
          headers: {
            'content-type': 'application/json',
            'webhook-id': text.id,
            'webhook-timestamp': String(Math.floor(at.getTime() / 1000)),
            'webhook-signature': new Webhook(secret).sign(text.id, at, body),
          },
        });
      } catch (error) {
        throw new GatewayBusy(`the gateway for ${what} does not answer: ${(error as Error).message}`);
      }
      const said = (await answer.text()).slice(0, 200);
      if (answer.ok) return { taken: true };
      if (answer.status >= 500 || answer.status === 408 || answer.status === 429)
        throw new GatewayBusy(`the gateway for ${what} answered ${answer.status}`);
      return { taken: false, reason: `the gateway refused it: ${said || answer.status}` };
    },
  };
}

const ALPHABET = 'abcdefghijkmnpqrstuvwxyzABCDEFGHJKLMNPQRSTUVWXYZ23456789';

/** The code of a short link: the same for one send and address, and one that nobody can guess. */
export function shortCode(secret: string, sendId: string, url: string): string {
  const bytes = createHmac('sha256', secret).update(`short:${sendId}:${url}`).digest();
  return [...bytes.subarray(0, 9)].map((byte) => ALPHABET[byte % ALPHABET.length]).join('');
}
