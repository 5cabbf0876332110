import { createPublicKey } from 'node:crypto';
import { promises as dns } from 'node:dns';
import type { SenderRecordsView } from '@/core/api';
import { recordsFor, recordState } from '@/core/messages';
import type { Db } from '@/data/db';
import { findSender } from '@/data/letters';
import { readStore } from '@/data/store';
import { notFound, Problem } from '../http';
import { OWN } from './senders';

/** What of the configuration tells which records a sender's domain is to have, and who is asked for them. */
export interface DomainsOf {
  readonly dkim: { readonly privateKey: string; readonly keySelector: string } | null;
  readonly spf: string;
  readonly nameServers: readonly string[];
}

const PATIENCE_MS = 2_000;
/** What says that there is nothing under a name, as opposed to that nobody could be asked. */
const NOTHING = new Set(['ENOTFOUND', 'ENODATA']);

/** The public part of a key, as it stands in the DNS (RFC 6376 §3.6.1): base64 of its SubjectPublicKeyInfo. */
const publicPart = (privateKey: string): string => createPublicKey(privateKey).export({ type: 'spki', format: 'der' }).toString('base64');

/** Which records the domain of a sender is to have, and how each stands at this moment; the store's own sender by the key `own`. */
export async function senderRecords(db: Db, key: string, { dkim, spf, nameServers }: DomainsOf): Promise<SenderRecordsView> {
  const address = key === OWN ? (await readStore(db)).fromEmail : (await findSender(db, key))?.address;
  if (!address) throw notFound(`sender "${key.slice(0, 60)}"`);
  const domain = address.split('@')[1]!.toLowerCase();
  const wanted = recordsFor(domain, {
    selector: dkim?.keySelector ?? '',
    publicKey: dkim && publicPart(dkim.privateKey),
    allowed: spf,
  });
  const resolver = new dns.Resolver({ timeout: PATIENCE_MS, tries: 2 });
  if (nameServers.length) resolver.setServers(nameServers);
  const found = await Promise.all(
    wanted.map(({ name }) =>
      resolver.resolveTxt(name).then(
        (records) => records.map((strings) => strings.join('')),
        (error: NodeJS.ErrnoException) => {
          if (NOTHING.has(error.code ?? '')) return [];
          throw new Problem(
            503,
            'Nobody answers',
            `No name server answered for ${name} (${error.code ?? error.message}). Look again in a while.`,
          );
        },
      ),
    ),
  );
  return { domain, records: wanted.map((record, at) => ({ ...record, found: found[at]!, ...recordState(record, found[at]!) })) };
}
