import { DIDS, SPLITS_OF_SENDS, type Did, type RecipientsView, type SendSplitView, type SplitOfSends } from '@/core/api';
import { stepsOf } from '@/core/flows';
import { csvRow } from '@/core/imports';
import { recipients, sendsBy } from '@/data/broadcasts';
import type { Db } from '@/data/db';
import { findFlow, readVersion } from '@/data/flows';
import { cursorOf, notFound, oneOf } from '../http';

const PAGE = 100;
const MOST_PARTS = 40;

async function flowWithNames(db: Db, key: string) {
  const flow = await findFlow(db, key.slice(0, 80));
  if (!flow) throw notFound(`broadcast "${key.slice(0, 60)}"`);
  const document = flow.version === null ? flow.draft : await readVersion(db, flow.id, flow.version);
  const names = new Map(stepsOf(document).map((step) => [step.id, 'name' in step ? step.name : step.id]));
  return { flow, names };
}

/** What a broadcast's messages came to by domain, device, program or segment; of one message alone where one is named. */
export async function splitOfBroadcast(db: Db, key: string, url: URL): Promise<SendSplitView> {
  const { flow } = await flowWithNames(db, key);
  const by: SplitOfSends = oneOf(url, 'by', SPLITS_OF_SENDS);
  const parts = await sendsBy(db, flow.id, url.searchParams.get('step'), by, MOST_PARTS);
  return { by, parts: parts.map(({ left, ...part }) => ({ ...part, unsubscribed: left })) };
}

/** Who got a broadcast, and what they did: all of them, or those who did one thing. */
export async function recipientsOf(db: Db, key: string, url: URL): Promise<RecipientsView> {
  const { flow, names } = await flowWithNames(db, key);
  const did: Did = oneOf(url, 'did', DIDS);
  const rows = await recipients(db, {
    flowId: flow.id,
    step: url.searchParams.get('step'),
    did,
    after: cursorOf(url),
    limit: PAGE + 1,
  });
  return {
    items: rows.slice(0, PAGE).map((row) => ({
      person: row.external_id ?? `~${row.person_id}`,
      name: [row.first_name, row.last_name].filter(Boolean).join(' '),
      email: row.email,
      message: names.get(row.step) ?? row.step,
      state: row.state,
      reason: row.reason,
      sentAt: row.sent_at?.toISOString() ?? null,
      openedAt: row.opened_at?.toISOString() ?? null,
      clickedAt: row.clicked_at?.toISOString() ?? null,
      ordered: row.ordered,
    })),
    next: rows.length > PAGE ? rows[PAGE - 1]!.id : null,
  };
}

/** The same as lines of CSV (RFC 4180), page after page, so that memory does not grow with it. */
export async function* recipientLines(db: Db, key: string, url: URL): AsyncGenerator<string> {
  // what is not there is said before the file begins
  await flowWithNames(db, key);
  yield csvRow(['name', 'email', 'message', 'state', 'reason', 'sent', 'opened', 'clicked', 'ordered']);
  const at = new URL(url);
  for (let next: string | null = ''; next !== null;) {
    if (next) at.searchParams.set('before', next);
    const page: RecipientsView = await recipientsOf(db, key, at);
    for (const one of page.items)
      yield csvRow([
        one.name,
        one.email,
        one.message,
        one.state,
        one.reason,
        one.sentAt,
        one.openedAt,
        one.clickedAt,
        one.ordered ? 'yes' : 'no',
      ]);
    next = page.next;
  }
}
