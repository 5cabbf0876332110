import * as z from 'zod';

const perSecond = z
  .string()
  .default('')
  .transform((text) => (text.trim() === '' ? null : Number(text)))
  .refine((number) => number === null || (number > 0 && number <= 10_000), 'is no number above 0');

const schema = z.object({
  VIATIC_DATABASE_URL: z.string().min(1),
  /** the same database without a pooler in between, where the one above goes through one in transaction mode: for what holds a connection */
  VIATIC_SESSION_DATABASE_URL: z.string().default(''),
  /** a copy that follows it, from which reports are read; empty where there is none */
  VIATIC_REPORTS_DATABASE_URL: z.string().default(''),
  /** where people reach the application: links in messages start with it */
  VIATIC_URL: z.url(),
  /** seals sessions and signs links */
  VIATIC_SECRET: z.string().min(32),
  VIATIC_SMTP_URL: z.string().min(1),
  /** shared with the mail provider: its reports are signed with it (Standard Webhooks) */
  VIATIC_MAIL_HOOK_SECRET: z.string().min(1),
  /** how many mails a second a worker hands over at most, in all and to one receiving domain; empty for as many as are taken */
  VIATIC_MAIL_PER_SECOND: perSecond,
  VIATIC_MAIL_PER_DOMAIN: perSecond,
  /** the private key by which mail is signed (DKIM, RFC 6376), as PEM or its base64; empty where mail is not signed by us */
  VIATIC_DKIM_KEY: z.string().default(''),
  /** under which name its public part stands in the DNS: NAME._domainkey.DOMAIN */
  VIATIC_DKIM_SELECTOR: z
    .string()
    .regex(/^[A-Za-z0-9-]{1,63}$/)
    .default('viatic'),
  /** what the DNS of a sender's domain is to allow to send in its name (SPF, RFC 7208), such as include:mail.example; empty: not asked for */
  VIATIC_SPF: z
    .string()
    .regex(/^[\w.:/ -]{0,200}$/)
    .default(''),
  /** which name servers are asked for those records, as address:port, with commas; empty for those of the machine */
  VIATIC_DNS: z.string().default(''),
  /** where the stand-ins listen; empty where there are none */
  VIATIC_OUTSIDE_URL: z.string().default(''),
  /** "1" in the demo and in tests: store time can be moved, the sign-in page shows the demo account */
  VIATIC_DEMO: z.string().default(''),
  /** addresses and networks (CIDR) of the proxies in front of us, with commas: only their word on who is calling counts */
  VIATIC_PROXIES: z.string().default(''),
  /** hosts on the inside of the network that flows may call, as host:port, with commas; nothing else there is reached */
  VIATIC_CALL_INSIDE: z.string().default(''),
  /** shared with who carries texts and messages for locked screens: what is handed to them and what they report is signed with it */
  VIATIC_TEXT_HOOK_SECRET: z.string().min(1),
  /** where text messages, and messages for locked screens, are handed over; empty where nobody carries them */
  VIATIC_SMS_URL: z.string().default(''),
  VIATIC_PUSH_URL: z.string().default(''),
  /** by which push services of browsers know us (VAPID, RFC 8292), base64url; empty where no browser is sent to */
  VIATIC_VAPID_PUBLIC: z.string().default(''),
  VIATIC_VAPID_PRIVATE: z.string().default(''),
});

export interface Env {
  readonly databaseUrl: string;
  /** for what holds a connection for itself: locks of workers, listening, jobs */
  readonly sessionDatabaseUrl: string;
  /** whether a pooler stands before the database, so that nothing is kept prepared on a connection */
  readonly isPooled: boolean;
  readonly reportsDatabaseUrl: string;
  readonly url: string;
  readonly secret: string;
  readonly smtpUrl: string;
  readonly mailHookSecret: string;
  readonly mailPace: { readonly perSecond: number | null; readonly perDomain: number | null };
  readonly dkim: { readonly privateKey: string; readonly keySelector: string } | null;
  readonly spf: string;
  readonly nameServers: readonly string[];
  readonly outsideUrl: string;
  readonly isDemo: boolean;
  readonly proxies: readonly string[];
  readonly inside: readonly string[];
  readonly textHookSecret: string;
  readonly smsUrl: string;
  readonly pushUrl: string;
  readonly vapid: { readonly publicKey: string; readonly privateKey: string } | null;
}

const listOf = (text: string): string[] =>
  text
    .split(',')
    .map((one) => one.trim())
    .filter(Boolean);

/** A key as PEM, which an environment holds more easily as base64. */
const pemOf = (key: string): string => (key.includes('-----BEGIN') ? key : Buffer.from(key, 'base64').toString('utf8'));

let read: Env | null = null;

/** The configuration from the environment, read once. Throws with the names of what is missing. */
export function env(): Env {
  if (!read) {
    const parsed = schema.safeParse(process.env);
    if (!parsed.success)
      throw new Error(`configuration: ${parsed.error.issues.map((issue) => `${issue.path.join('.')} ${issue.message}`).join('; ')}`);
    const e = parsed.data;
    read = {
      databaseUrl: e.VIATIC_DATABASE_URL,
      sessionDatabaseUrl: e.VIATIC_SESSION_DATABASE_URL || e.VIATIC_DATABASE_URL,
      isPooled: e.VIATIC_SESSION_DATABASE_URL !== '' && e.VIATIC_SESSION_DATABASE_URL !== e.VIATIC_DATABASE_URL,
      reportsDatabaseUrl: e.VIATIC_REPORTS_DATABASE_URL || e.VIATIC_DATABASE_URL,
      url: e.VIATIC_URL.replace(/\/$/, ''),
      secret: e.VIATIC_SECRET,
      smtpUrl: e.VIATIC_SMTP_URL,
      mailHookSecret: e.VIATIC_MAIL_HOOK_SECRET,
      mailPace: { perSecond: e.VIATIC_MAIL_PER_SECOND, perDomain: e.VIATIC_MAIL_PER_DOMAIN },
      dkim: e.VIATIC_DKIM_KEY ? { privateKey: pemOf(e.VIATIC_DKIM_KEY), keySelector: e.VIATIC_DKIM_SELECTOR } : null,
      spf: e.VIATIC_SPF.trim(),
      nameServers: listOf(e.VIATIC_DNS),
      outsideUrl: e.VIATIC_OUTSIDE_URL.replace(/\/$/, ''),
      isDemo: e.VIATIC_DEMO === '1',
      proxies: listOf(e.VIATIC_PROXIES),
      inside: listOf(e.VIATIC_CALL_INSIDE),
      textHookSecret: e.VIATIC_TEXT_HOOK_SECRET,
      smsUrl: e.VIATIC_SMS_URL,
      pushUrl: e.VIATIC_PUSH_URL,
      vapid:
        e.VIATIC_VAPID_PUBLIC && e.VIATIC_VAPID_PRIVATE ? { publicKey: e.VIATIC_VAPID_PUBLIC, privateKey: e.VIATIC_VAPID_PRIVATE } : null,
    };
  }
  return read;
}
