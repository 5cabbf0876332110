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
  send(envelope: Envelope): Promise<Handed>;
  close(): void;
}

/** Opens a pooled SMTP connection. Transient failures (4xx, no connection) throw, so that the job tries again. */
export function openMailer(smtpUrl: string): Mailer {
  const transport = nodemailer.createTransport({ url: smtpUrl, pool: true, maxConnections: 4, maxMessages: 1000, connectionTimeout: 10_000, socketTimeout: 30_000 } as nodemailer.TransportOptions);
  return {
    async send(mail) {
      try {
        await transport.sendMail({
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
        return { taken: true };
      } catch (error) {
        const { responseCode, response } = error as { responseCode?: number; response?: string };
        if (responseCode && responseCode >= 500) return { taken: false, reason: `mail server refused: ${response ?? responseCode}`.slice(0, 300) };
        throw error;
      }
    },
    close: () => transport.close(),
  };
}
