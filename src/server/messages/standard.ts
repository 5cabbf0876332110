import { simpleParser, type Attachment } from 'mailparser';

/** What a mail about a mail of ours says: it was delivered, did not arrive (for good or for now), or its reader complained. */
export interface StandardReport {
  readonly type: 'message.delivered' | 'message.bounced' | 'message.complained';
  readonly messageId: string;
  readonly class?: 'hard' | 'soft';
  readonly reason?: string;
}

/** Fields of a report: `Name: value`, a value that goes on is indented (RFC 5322 §2.2.3); several groups are set off by empty lines. */
function groupsOf(text: string): Map<string, string>[] {
  return text
    .replace(/\r\n/g, '\n')
    .replace(/\n[ \t]+/g, ' ')
    .split(/\n{2,}/)
    .map(
      (group) =>
        new Map(
          group.split('\n').flatMap((line) => {
            const at = line.indexOf(':');
            return at > 0 ? [[line.slice(0, at).trim().toLowerCase(), line.slice(at + 1).trim()] as const] : [];
          }),
        ),
    )
    .filter((fields) => fields.size > 0);
}

/** A code such as "rfc822; robin@example.com" or "smtp; 550 no such user" without what kind it is of. */
const bare = (value: string | undefined): string => (value ?? '').replace(/^[a-z0-9-]+\s*;\s*/i, '').trim();

const of = (attachments: readonly Attachment[], ...types: string[]): string | null =>
  attachments.find(({ contentType }) => types.includes(contentType.toLowerCase()))?.content.toString('utf8') ?? null;

/**
 * Reads a mail that reports of a mail: a delivery status notification (RFC 3464) or a report of abuse (RFC 5965). Null for any other
 * mail, and where the mail that it is about does not say its Message-ID.
 */
export async function readStandardReport(raw: Buffer | string): Promise<StandardReport | null> {
  const mail = await simpleParser(raw, { skipHtmlToText: true, skipTextToHtml: true, skipImageLinks: true, keepDeliveryStatus: true });
  const { attachments } = mail;
  // the mail it is about comes whole, or as its head alone
  const about = of(attachments, 'message/rfc822', 'text/rfc822-headers', 'message/rfc822-headers');
  const messageId = about === null ? null : (groupsOf(about)[0]?.get('message-id') ?? null);
  const status = of(attachments, 'message/delivery-status');
  if (status !== null) {
    const [whole, ...recipients] = groupsOf(status);
    const [recipient] = recipients;
    // some leave the Message-ID out of what they send back, and say it in a field of their own
    const id = messageId ?? whole?.get('x-original-message-id') ?? whole?.get('original-envelope-id') ?? null;
    if (!recipient || !id) return null;
    const action = recipient.get('action')?.toLowerCase();
    const code = bare(recipient.get('status'));
    const reason = bare(recipient.get('diagnostic-code')) || code;
    switch (action) {
      case 'delivered':
        return { type: 'message.delivered', messageId: id };
      case 'failed':
        // RFC 3463 §2: 5.x.x is for good, 4.x.x for now; a full mailbox (x.2.2) is not for good, whatever it is filed under
        return {
          type: 'message.bounced',
          messageId: id,
          class: code.startsWith('5') && !/^5\.2\.[12]$/.test(code) ? 'hard' : 'soft',
          ...(reason && { reason: reason.slice(0, 300) }),
        };
      default:
        // delayed, relayed, expanded: it is still on its way
        return null;
    }
  }
  const feedback = of(attachments, 'message/feedback-report');
  if (feedback === null || !messageId) return null;
  const kind = groupsOf(feedback)[0]?.get('feedback-type')?.toLowerCase();
  // a report that a mail was wrongly taken for abuse is none
  return kind && kind !== 'not-spam' ? { type: 'message.complained', messageId, reason: kind } : null;
}
