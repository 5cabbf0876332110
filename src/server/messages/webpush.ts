import webpush from 'web-push';
import { subscriptionOf } from '@/core/messages';
import { tryPost } from '../outgoing';
import { GatewayBusy, type Gateway, type Text } from './gateway';

/** By what we show push services who we are (VAPID, RFC 8292). */
export interface VapidKeys {
  readonly publicKey: string;
  readonly privateKey: string;
}

/** For how long a push service keeps a message for a device that is off. */
const KEPT_FOR_S = 24 * 60 * 60;

/** What stands on the locked screen, as the service worker of the page reads it. */
const payloadOf = ({ title, text, url, picture }: Text): string =>
  JSON.stringify({ title: title ?? '', text, ...(url && { url }), ...(picture && { picture }) });

/**
 * Hands messages to the push services of browsers (RFC 8030), sealed so that only the browser can read them (RFC 8291), in our name
 * (RFC 8292). What the service says of a subscription that is no more (404, 410) is for good. Nothing on the inside of the network
 * is reached, whatever address somebody has told.
 */
export function openWebPush(keys: VapidKeys | null, inside: readonly string[]): Gateway {
  return {
    async send(text) {
      const subscription = subscriptionOf(text.to);
      if (!subscription) return { taken: false, reason: 'this is no subscription of a browser' };
      if (!keys) return { taken: false, reason: 'no keys for push to browsers are set up' };
      const request = webpush.generateRequestDetails(subscription, payloadOf(text), {
        TTL: KEPT_FOR_S,
        urgency: 'normal',
        contentEncoding: 'aes128gcm',
        vapidDetails: { subject: `mailto:${text.contact}`, ...keys },
      });
      const tried = await tryPost({
        url: request.endpoint,
        headers: request.headers as Record<string, string | number>,
        body: request.body ?? Buffer.alloc(0),
        inside,
      });
      if (tried.ok) return { taken: true };
      if (tried.status === 404 || tried.status === 410) return { taken: false, reason: 'the browser takes no more messages', isGone: true };
      if (tried.canHelp) throw new GatewayBusy(`the push service ${tried.because}`);
      return { taken: false, reason: `the push service ${tried.because}` };
    },
  };
}

/** Push by whichever way somebody's address is for: the push service of their browser, or the gateway of the app. */
export const byAddress = (browsers: Gateway, app: Gateway): Gateway => ({
  send: (text) => (subscriptionOf(text.to) ? browsers : app).send(text),
});
