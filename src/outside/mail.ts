import { dkimVerify } from 'mailauth/lib/dkim/verify.js';
import { simpleParser } from 'mailparser';
import { SMTPServer } from 'smtp-server';
import type { Config } from './config';
import { openJournal, type Journal } from './journal';
import { complaint, mailerTo, notification, reporterTo } from './report';

export interface Mail {
  readonly id: string;
  readonly messageId: string;
  readonly to: string;
  readonly from: string;
  readonly subject: string;
  readonly headers: Record<string, string>;
  readonly text: string;
  readonly html: string;
  readonly links: string[];
  readonly receivedAt: string;
  /** whether its signature (DKIM, RFC 6376) is sound, in the name of which domain; none where it has none */
  readonly signature: string;
}

/**
 * A mail server with inboxes. Like many servers it drops a message whose Message-ID it has had before. By address:
 * `refuse…@` is refused at once (550), `later…@` at the first try (451), `bounce…@` is taken and reported as bounced,
 * `soft…@` bounces softly, `complain…@` is delivered and then complained about, `dsn…@` is reported by a mail in standard form as having
 * no mailbox, `abuse…@` as complained about. Everything else is delivered.
 */
export function startMail(config: Config): { journal: Journal<Mail>; close: () => Promise<void> } {
  const journal = openJournal<Mail>(`${config.folder}/mail.ndjson`);
  const known = new Set(journal.entries.map((mail) => mail.messageId));
  const putOff = new Set<string>();
  const tell = reporterTo(config, '/api/hooks/mail', config.mailHookSecret);
  const tellMail = mailerTo(config, '/api/hooks/mail/received', config.mailHookSecret);
  /** Whether the signature of a mail is sound, looked at by a library against what would stand in the DNS. */
  const signatureOf = async (raw: Buffer): Promise<string> => {
    const record = config.dkimRecord ?? '';
    const found = await dkimVerify(raw, {
      resolver: (name: string, type: string) =>
        type === 'TXT' && name.includes('._domainkey.') && record
          ? Promise.resolve([[record]])
          : Promise.reject(Object.assign(new Error('no such name'), { code: 'ENOTFOUND' })),
    });
    const [one] = found.results;
    return one?.signingDomain ? `${one.status.result} (${one.signingDomain})` : 'none';
  };
  const report = (type: string, messageId: string, more: object = {}): Promise<void> =>
    tell(`${type}-${messageId}`, { type, messageId, ...more });

  const server = new SMTPServer({
    authOptional: true,
    disabledCommands: ['STARTTLS', 'AUTH'],
    logger: false,
    size: 10 * 1024 * 1024,
    onRcptTo(address, session, done) {
      const local = address.address.toLowerCase();
      const refuse = (code: number, message: string) => done(Object.assign(new Error(message), { responseCode: code }));
      if (local.startsWith('refuse')) return refuse(550, 'no such mailbox');
      if (local.startsWith('later') && !putOff.has(local)) {
        putOff.add(local);
        return refuse(451, 'try again later');
      }
      done();
    },
    onData(stream, session, done) {
      const chunks: Buffer[] = [];
      stream.on('data', (chunk: Buffer) => chunks.push(chunk));
      // whoever was sending is gone: the mail was not taken
      stream.on('error', () => done(new Error('cut off')));
      stream.on('end', () => {
        void (async () => {
          const raw = Buffer.concat(chunks);
          const parsed = await simpleParser(raw, { skipImageLinks: true, skipTextLinks: true, skipTextToHtml: true, skipHtmlToText: true });
          const to = session.envelope.rcptTo[0]?.address.toLowerCase() ?? '';
          const messageId = parsed.messageId ?? `<none-${Date.now()}-${Math.random()}>`;
          if (!known.has(messageId)) {
            known.add(messageId);
            const html = typeof parsed.html === 'string' ? parsed.html : '';
            journal.add({
              id: String(journal.entries.length + 1),
              messageId,
              to,
              from: parsed.from?.text ?? '',
              subject: parsed.subject ?? '',
              headers: Object.fromEntries(
                parsed.headerLines.map(({ key, line }) => [
                  key,
                  line
                    .slice(line.indexOf(':') + 1)
                    .replace(/\r?\n\s+/g, ' ')
                    .trim(),
                ]),
              ),
              text: parsed.text ?? '',
              html,
              links: [...html.matchAll(/href="([^"]+)"/g)].map(([, url]) => url!.replaceAll('&amp;', '&')),
              receivedAt: new Date().toISOString(),
              signature: await signatureOf(raw).catch((error: Error) => `not looked at: ${error.message}`),
            });
          }
          done();
          // reports come a moment after the mail was taken, and again when it was taken again
          setTimeout(() => {
            if (to.startsWith('dsn')) void tellMail(messageId, notification(to, messageId));
            else if (to.startsWith('abuse'))
              void report('message.delivered', messageId).then(() => tellMail(messageId, complaint(messageId)));
            else if (to.startsWith('soft')) void report('message.bounced', messageId, { class: 'soft', reason: 'mailbox is full' });
            else if (to.startsWith('bounce')) void report('message.bounced', messageId, { reason: 'mailbox does not exist' });
            else
              void report('message.delivered', messageId).then(() =>
                to.startsWith('complain') ? report('message.complained', messageId) : undefined,
              );
          }, 20);
        })().catch((error: Error) => done(error));
      });
    },
  });
  server.on('error', (error) => process.stderr.write(`mail server: ${error.message}\n`));
  server.listen(config.smtpPort, '127.0.0.1');
  return { journal, close: () => new Promise((resolve) => server.close(() => resolve())) };
}
