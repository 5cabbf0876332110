import nodemailer from 'nodemailer';
import type { Rendered } from '@/core/messages';

export interface Envelope extends Rendered {
  readonly from: { name: string; address: string };
  readonly to: { name: string; address: string };
  readonly messageId: string;
  readonly unsubscribeUrl: string | null;
  /** where answers go, where they do not go to the sender */
  readonly replyTo?: string;
  /** `cid` is the name by which the mail itself shows a picture (RFC 2392) */
  readonly attachments?: readonly {
    readonly filename: string;
    readonly content: Buffer;
    readonly contentType: string;
    readonly cid?: string;
  }[];
  /** store time: the same as the machine's, but in the demo */
  readonly date: Date;
}

/** What became of handing a mail to the server: taken, or refused for good with its reason; `isGone` where the address is no more. */
export type Handed = { readonly taken: true } | { readonly taken: false; readonly reason: string; readonly isGone?: boolean };

export interface Mailer {
  /** Hands a mail over. Transient failures (4xx, no connection, no answer) throw, so that it is tried again. */
  send(envelope: Envelope): Promise<Handed>;
  close(): void;
}

/** The whole of one handing-over, however slowly the server answers. */
export const LONGEST_HANDOVER_MS = 40_000;

/** A mail waits for a place for this share of the longest handing-over; what is left is too short to begin one. */
const SHARE_FOR_WAITING = 0.75;

/** Raised when the server has not taken a mail in time: it may yet do so, and knows the mail by its Message-ID when it comes again. */
export class TooSlow extends Error {}

/** Opens a pool of SMTP connections of its own: as many mails are on their way at once, the others wait their turn here. */
export function openMailer(
  smtpUrl: string,
  {
    connections = 20,
    longestMs = LONGEST_HANDOVER_MS,
    dkim = null,
  }: {
    connections?: number;
    longestMs?: number;
    /** by which mail is signed (RFC 6376), in the name of the sender's domain */
    dkim?: { readonly privateKey: string; readonly keySelector: string } | null;
  } = {},
): Mailer {
  // the library takes an address or options, not both: what is asked of the pool stands in the address
  const address = new URL(smtpUrl);
  const pooled = {
    pool: true,
    maxConnections: connections,
    maxMessages: 1000,
    connectionTimeout: Math.min(10_000, longestMs),
    greetingTimeout: Math.min(10_000, longestMs),
    socketTimeout: Math.min(30_000, longestMs),
  };
  for (const [name, value] of Object.entries(pooled)) address.searchParams.set(name, String(value));
  // a mail that stood in the library's own queue would go out after we have said that it did not: as many as there are
  // connections are with it, the others wait for a place here
  const openPool = () => ({ transport: nodemailer.createTransport(address.href), free: connections, slow: 0 });
  let pool = openPool();
  type Pool = ReturnType<typeof openPool>;
  const waiting: ((own: Pool) => void)[] = [];
  const letIn = (): void => {
    while (pool.free > 0 && waiting.length) {
      pool.free -= 1;
      waiting.shift()!(pool);
    }
  };
  const leave = (own: Pool): void => {
    own.free += 1;
    letIn();
  };
  return {
    async send(mail) {
      let timer: NodeJS.Timeout | undefined;
      const late = () => new TooSlow(`the mail server did not answer within ${Math.round(longestMs / 1000)} seconds`);
      const askedAt = performance.now();
      const tooSlow = new Promise<never>((_, fail) => {
        timer = setTimeout(() => fail(late()), longestMs);
      });
      const turn = new Promise<Pool>((enter) => waiting.push(enter));
      letIn();
      let own: Pool;
      try {
        own = await Promise.race([turn, tooSlow]);
      } catch (error) {
        // a place that is free only now is for the next
        void turn.then(leave);
        throw error;
      }
      // with its time all but over, it would be handed over after we have said that it was not
      if (performance.now() - askedAt > SHARE_FOR_WAITING * longestMs) {
        clearTimeout(timer);
        leave(own);
        throw late();
      }
      try {
        const sending = own.transport.sendMail({
          from: mail.from,
          to: mail.to,
          ...(mail.replyTo && { replyTo: mail.replyTo }),
          subject: mail.subject,
          messageId: mail.messageId,
          date: mail.date,
          text: mail.text,
          ...(mail.attachments?.length && { attachments: [...mail.attachments] }),
          html: mail.html,
          // said, so that the library does not count every letter of every mail to find out which is shorter
          textEncoding: 'quoted-printable',
          ...(dkim && { dkim: { ...dkim, domainName: mail.from.address.split('@')[1]! } }),
          // RFC 2369 §3.2 and RFC 8058 §3.1: one POST unsubscribes, no page in between
          ...(mail.unsubscribeUrl && {
            headers: { 'List-Unsubscribe': `<${mail.unsubscribeUrl}>`, 'List-Unsubscribe-Post': 'List-Unsubscribe=One-Click' },
          }),
        });
        void sending.catch(() => undefined).finally(() => leave(own));
        await Promise.race([sending, tooSlow]);
        own.slow = 0;
        return { taken: true };
      } catch (error) {
        const { responseCode, response } = error as { responseCode?: number; response?: string };
        if (responseCode && responseCode >= 500)
          return { taken: false, reason: `mail server refused: ${response ?? responseCode}`.slice(0, 300) };
        // connections that a server keeps busy without end are left to it with their places, and others opened
        if (error instanceof TooSlow && ++own.slow >= connections && own === pool) {
          pool = openPool();
          own.transport.close();
          letIn();
        }
        throw error;
      } finally {
        clearTimeout(timer);
      }
    },
    close: () => pool.transport.close(),
  };
}
