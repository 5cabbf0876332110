/** What the stand-ins are told of the world: addresses and a key, as any stranger would be. */
export interface Config {
  readonly port: number;
  readonly smtpPort: number;
  /** the application's public address: its API, and under /outside ourselves */
  readonly viaticUrl: string;
  readonly apiKey: string;
  readonly mailHookSecret: string;
  readonly textHookSecret: string;
  /** the key of the page snippet that the shop's pages carry; none where it is empty */
  readonly snippet?: string;
  /** what stands in the DNS of every sender: the public key of its signatures; none where it is empty */
  readonly dkimRecord?: string;
  /** where the name server listens (UDP), 0 for any free port, and the TXT records it begins with */
  readonly dnsPort?: number;
  readonly dnsRecords?: readonly { readonly name: string; readonly text: string }[];
  /** by which browsers know whose messages they take (VAPID); no browser subscribes where it is empty */
  readonly vapidKey?: string;
  /** where mail and carts are kept between starts */
  readonly folder: string;
}

export function readConfig(): Config {
  const of = (name: string): string => {
    const value = process.env[name];
    if (!value) throw new Error(`configuration: ${name} is missing`);
    return value;
  };
  return {
    port: Number(of('OUTSIDE_PORT')),
    smtpPort: Number(of('OUTSIDE_SMTP_PORT')),
    viaticUrl: of('VIATIC_URL').replace(/\/$/, ''),
    apiKey: of('OUTSIDE_API_KEY'),
    mailHookSecret: of('VIATIC_MAIL_HOOK_SECRET'),
    textHookSecret: of('VIATIC_TEXT_HOOK_SECRET'),
    folder: of('OUTSIDE_FOLDER'),
    snippet: process.env.OUTSIDE_SNIPPET ?? '',
    dkimRecord: process.env.OUTSIDE_DKIM_RECORD ?? '',
    dnsPort: Number(process.env.OUTSIDE_DNS_PORT ?? 0),
    dnsRecords: JSON.parse(process.env.OUTSIDE_DNS_RECORDS ?? '[]') as { name: string; text: string }[],
    vapidKey: process.env.VIATIC_VAPID_PUBLIC ?? '',
  };
}
