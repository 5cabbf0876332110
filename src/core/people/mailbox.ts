/**
 * Names of mailboxes that belong to an office and not to a person: RFC 2142 §§3–5, and beside it a few that shops
 * see every day (common practice).
 */
export const OFFICE_MAILBOXES: readonly string[] = [
  'info',
  'marketing',
  'sales',
  'support',
  'abuse',
  'noc',
  'security',
  'postmaster',
  'hostmaster',
  'usenet',
  'news',
  'webmaster',
  'www',
  'uucp',
  'ftp',
  'office',
  'admin',
  'contact',
  'hello',
  'mail',
  'shop',
  'service',
  'team',
  'billing',
  'accounts',
  'noreply',
  'no-reply',
];
const OFFICES = new Set(OFFICE_MAILBOXES);

/** Whether an address is an office's mailbox, which several people share and which tells nobody apart. */
export function isOfficeMailbox(email: string): boolean {
  return OFFICES.has(email.slice(0, email.indexOf('@')));
}
