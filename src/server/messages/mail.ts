import nodemailer from 'nodemailer';
import type { Rendered } from '@/core/messages';

export interface Envelope extends Rendered {
  readonly from: { name: string; address: string };
  readonly to: { name: string; address: string };
  readonly messageId: string;
  readonly unsubscribeUrl: string | null;
  /** store time: the same as the machine's, but in the demo */
  readonly date: Date;
}

/** What became of handing a mail to the server: taken, or refused for good with its reason. */
export type Handed = { readonly taken: true } | { readonly taken: false; readonly reason: string };

export interface Mailer {
  /** Hands a mail over. Transient failures (4xx, no connection, no answer) throw, so that it is tried again. */
  send(envelope: Envelope): Promise<Handed>;
  close(): void;
}

/** The whole of one handing-over, however slowly the server answers. */
export const LONGEST_HANDOVER_MS = 40_000;

/** Raised when the server has not taken a mail in time: it may yet do so, and knows the mail by its Message-ID when it comes again. */
export class TooSlow extends Error {}

/** Opens a pool of SMTP connections of its own. */
export function openMailer(
  smtpUrl: string,
  { connections = 20, longestMs = LONGEST_HANDOVER_MS }: { connections?: number; longestMs?: number } = {},
): Mailer {
  const open = () =>
    nodemailer.createTransport({
      url: smtpUrl,
      pool: true,
      maxConnections: connections,
      maxMessages: 1000,
      connectionTimeout: Math.min(10_000, longestMs),
      greetingTimeout: Math.min(10_000, longestMs),
      socketTimeout: Math.min(30_000, longestMs),
    } as nodemailer.TransportOptions);
  let transport = open();
  let slow = 0;
  return {
    async send(mail) {
      const own = transport;
      let timer: NodeJS.Timeout | undefined;
      const tooSlow = new Promise<never>((_, fail) => {
        timer = setTimeout(
          () => fail(new TooSlow(`the mail server did not answer within ${Math.round(longestMs / 1000)} seconds`)),
          longestMs,
        );
      });
      try {
        const sending = own.sendMail({
          from: mail.from,
          to: mail.to,
          subject: mail.subject,
          messageId: mail.messageId,
          date: mail.date,
          text: mail.text,
          html: mail.html,
          // RFC 2369 §3.2 and RFC 8058 §3.1: one POST unsubscribes, no page in between
          ...(mail.unsubscribeUrl && {
            headers: { 'List-Unsubscribe': `<${mail.unsubscribeUrl}>`, 'List-Unsubscribe-Post': 'List-Unsubscribe=One-Click' },
          }),
        });
        sending.catch(() => {});
        await Promise.race([sending, tooSlow]);
        slow = 0;
        return { taken: true };
      } catch (error) {
        const { responseCode, response } = error as { responseCode?: number; response?: string };
        if (responseCode && responseCode >= 500)
          return { taken: false, reason: `mail server refused: ${response ?? responseCode}`.slice(0, 300) };
        // connections that a server keeps busy without end are left to it, and others opened
        if (error instanceof TooSlow && ++slow >= connections && own === transport) {
          slow = 0;
          transport = open();
          own.close();
        }
        throw error;
      } finally {
        clearTimeout(timer);
      }
    },
    close: () => transport.close(),
  };
}
