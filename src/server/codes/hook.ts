import type { CodeHookView } from '@/core/api';
import { codeHookInput } from '@/core/api';
import type { Offer } from '@/core/offers';
import type { Instant } from '@/core/time';
import { safeUrl } from '@/core/text';
import { readSetting, writeSetting } from '@/data/access';
import { inTransaction, type Db, type Sql } from '@/data/db';
import { namesOfPeople } from '@/data/people';
import { readStore, recordAct } from '@/data/store';
import { addJobs } from '@/data/work';
import { Problem, problemsOf } from '../http';
import { callSecret, tryCall } from '../outgoing';

/** Where the shop is told of each code, for shops that must know it before it counts. */
interface Hook {
  readonly url: string;
}
/** What became of the last telling that failed for good. */
interface Last {
  readonly at: string;
  readonly because: string;
}

/** A code that has just been issued. */
export interface Issued {
  readonly code: string;
  readonly offer: string;
  readonly document: Offer;
  readonly personId: string;
  readonly at: Instant;
  readonly expiresAt: Instant | null;
}

/** How often the shop is told before it is given up: with the pauses of the job library about two days. */
const TRIES = 20;

/** Notes that the shop is to be told of codes, in the transaction that issues them; nothing where it does not want to be told. */
export async function noteIssued(trx: Sql, issued: readonly Issued[]): Promise<void> {
  if (!issued.length || !(await readSetting<Hook>(trx, 'code-hook'))) return;
  const people = await namesOfPeople(trx, [...new Set(issued.map(({ personId }) => personId))]);
  await addJobs(
    trx,
    'code_hook',
    issued.map(({ code, offer, document, personId, at, expiresAt }) => ({
      id: `code-${code}`,
      body: {
        type: 'code.issued',
        timestamp: new Date(at).toISOString(),
        data: {
          code,
          offer,
          gives: document.gives,
          currency: document.currency,
          minimum: document.minimum ?? null,
          only: document.only ?? null,
          combines: document.combines,
          expires: expiresAt === null ? null : new Date(expiresAt).toISOString(),
          person: people.get(personId) ?? null,
        },
      },
    })),
    TRIES,
  );
}

/** Tells the shop of a code: a POST signed by Standard Webhooks under the same name at each try. Fails when it is to be tried again. */
export async function tellShop(
  db: Db,
  { id, body }: { id: string; body: object },
  inside: readonly string[],
  isLast: boolean,
): Promise<void> {
  const hook = await readSetting<Hook>(db, 'code-hook');
  if (!hook) return;
  const tried = await tryCall({ url: hook.url, id, body: JSON.stringify(body), secret: await callSecret(db), inside });
  if (tried.ok) return;
  if (tried.canHelp && !isLast) throw new Error(tried.because);
  await writeSetting(db, 'code-hook-last', {
    at: new Date((await readStore(db)).now).toISOString(),
    because: `${id.slice(5)}: ${tried.because}`,
  } satisfies Last);
}

/** Where the shop is told of codes, and what failed last. */
export async function codeHook(db: Db): Promise<CodeHookView> {
  const hook = await readSetting<Hook>(db, 'code-hook');
  const last = await readSetting<Last>(db, 'code-hook-last');
  return { url: hook?.url ?? null, failed: hook ? last : null };
}

/** Sets where the shop is told of codes; an empty address ends it. */
export async function putCodeHook(db: Db, body: unknown, by: string): Promise<CodeHookView> {
  const parsed = codeHookInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not an address', 'Nothing was stored.', problemsOf(parsed.error));
  const url = parsed.data.url === null || parsed.data.url.trim() === '' ? null : safeUrl(parsed.data.url.trim());
  if (url === null && parsed.data.url?.trim())
    throw new Problem(422, 'Not an address', 'Nothing was stored.', [
      { field: 'url', wrong: 'is not an address', right: 'one that begins with https://' },
    ]);
  await inTransaction(db, async (trx) => {
    await writeSetting(trx, 'code-hook', url === null ? null : ({ url } satisfies Hook));
    await writeSetting(trx, 'code-hook-last', null);
    await recordAct(trx, (await readStore(trx)).now, by, 'codes.hook', { url });
  });
  return codeHook(db);
}
