import { Webhook } from 'standardwebhooks';
import type { Config } from './config';

/** Tells the application something, signed with the secret that it shares with whoever tells, again and again with longer pauses until it is there. */
export function reporterTo(config: Config, path: string, secret: string): (id: string, told: object) => Promise<void> {
  const post = poster(config, path, secret, 'application/json');
  return (id, told) => post(id, JSON.stringify(told));
}

/** Hands on mail that came for the application, as it came, signed the same way. */
export function mailerTo(config: Config, path: string, secret: string): (id: string, raw: string) => Promise<void> {
  const post = poster(config, path, secret, 'message/rfc822');
  return (id, raw) => post(`received-${id}`, raw);
}

function poster(config: Config, path: string, secret: string, type: string): (id: string, body: string) => Promise<void> {
  const webhook = new Webhook(secret);
  return async (id, body) => {
    for (let attempt = 1; attempt <= 6; attempt++) {
      try {
        const at = new Date();
        const answer = await fetch(config.viaticUrl + path, {
          method: 'POST',
          body,
          headers: {
            'content-type': type,
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

const inParts = (kind: string, machine: string, about: string): string =>
  [
    'From: Mail Delivery Subsystem <mailer-daemon@mx.example.org>',
    'Subject: About your mail',
    'MIME-Version: 1.0',
    `Content-Type: multipart/report; report-type=${kind}; boundary="part-of-report"`,
    '',
    '--part-of-report',
    'Content-Type: text/plain',
    '',
    'This is about a mail of yours.',
    '--part-of-report',
    `Content-Type: message/${kind}`,
    '',
    machine,
    '--part-of-report',
    'Content-Type: text/rfc822-headers',
    '',
    `Message-ID: ${about}`,
    '--part-of-report--',
    '',
  ].join('\r\n');

/** A mail that says of another that there is no such mailbox (RFC 3464). */
export const notification = (to: string, messageId: string): string =>
  inParts(
    'delivery-status',
    [
      'Reporting-MTA: dns; mx.example.org',
      '',
      `Final-Recipient: rfc822; ${to}`,
      'Action: failed',
      'Status: 5.1.1',
      'Diagnostic-Code: smtp; 550 no such mailbox',
      '',
    ].join('\r\n'),
    messageId,
  );

/** A mail that says of another that its reader complained (RFC 5965). */
export const complaint = (messageId: string): string =>
  inParts('feedback-report', 'Feedback-Type: abuse\r\nUser-Agent: Outside/1.0\r\nVersion: 1\r\n', messageId);
