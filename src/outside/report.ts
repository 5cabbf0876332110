import { Webhook } from 'standardwebhooks';
import type { Config } from './config';

/** Tells the application something, signed with the secret that it shares with whoever tells, again and again with longer pauses until it is there. */
export function reporterTo(config: Config, path: string, secret: string): (id: string, told: object) => Promise<void> {
  const webhook = new Webhook(secret);
  return async (id, told) => {
    for (let attempt = 1; attempt <= 6; attempt++) {
      try {
        const body = JSON.stringify(told);
        const at = new Date();
        const answer = await fetch(config.viaticUrl + path, {
          method: 'POST',
          body,
          headers: {
            'content-type': 'application/json',
            'webhook-id': id,
            'webhook-timestamp': String(Math.floor(at.getTime() / 1000)),
            'webhook-signature': webhook.sign(id, at, body),
          },
        });
        if (answer.status < 500 && answer.status !== 404) return;
      } catch {
        // the application is not there: try again
      }
      await new Promise((resolve) => setTimeout(resolve, 150 * 3 ** attempt));
    }
  };
}
