import { Webhook } from 'standardwebhooks';
import { applyMapping, type Mapping } from '@/core/sources';
import type { Value } from '@/core/rules';
import type { Db } from '@/data/db';
import { findSource, latestMapping, noteSourceUse, saveBody, saveRejections } from '@/data/sources';
import { readStore } from '@/data/store';
import { notFound, Problem, unstorable, type FieldProblem } from '../http';
import { ingest, MOST_EVENTS, type IngestAnswer } from '../ingest';

/**
 * Takes the body of a signed webhook in (Standard Webhooks: signature over id, timestamp and body, refused when older
 * or newer than five minutes), by the latest mapping of its source; without one the body must be an event of ours.
 */
export async function takeWebhook(db: Db, key: string, headers: Headers, raw: string): Promise<IngestAnswer> {
  const row = await findSource(db, key);
  if (!row || row.kind !== 'webhook' || row.revoked_at || !row.secret) throw notFound('webhook at this address');
  try {
    new Webhook(row.secret).verify(raw, Object.fromEntries(headers));
  } catch {
    throw new Problem(
      401,
      'Not signed',
      'The signature is missing, wrong, or more than five minutes off (Standard Webhooks: webhook-id, webhook-timestamp, webhook-signature).',
    );
  }
  const store = await readStore(db);
  const webhookId = headers.get('webhook-id')!.slice(0, 200);
  await noteSourceUse(db, row.id);
  let body: Value;
  try {
    body = JSON.parse(raw) as Value;
  } catch (error) {
    const problem = { field: 'body', wrong: `is not JSON: ${(error as Error).message.slice(0, 120)}`, right: 'JSON' };
    await saveRejections(db, row.id, store.now, [{ type: null, problems: [problem], raw: raw.slice(0, 16_384) }], 1);
    throw new Problem(400, 'Malformed JSON', 'The body is not JSON; it was kept with the rejected ones.', [problem]);
  }
  const bad = unstorable(body, '');
  if (bad) {
    await saveRejections(db, row.id, store.now, [{ type: null, problems: [bad], raw: '(holds what cannot be stored)' }], 1);
    throw new Problem(422, 'Not storable', 'The body was not taken.', [bad]);
  }
  const mapping = await latestMapping(db, row.id);
  const { events, skipped } = mapped(mapping?.document ?? null, body, {
    source: `webhook/${row.key}`,
    id: webhookId,
    storeCurrency: store.currency,
  });
  const answer = await takeMany(db, events, row.id);
  const problems: FieldProblem[] = [
    ...answer.rejected.flatMap((one) => one.problems),
    ...skipped.map((why) => ({ field: 'body', wrong: why, right: 'map it, or leave it' })),
  ];
  await saveBody(db, row.id, store.now, {
    webhookId,
    raw,
    outcome: { accepted: answer.accepted, duplicates: answer.duplicates, problems: problems.slice(0, 20) },
  });
  return answer;
}

/** Takes any number of events in, as many at a time as the door takes. */
async function takeMany(db: Db, events: readonly unknown[], sourceId: number): Promise<IngestAnswer> {
  let [accepted, duplicates] = [0, 0];
  const rejected: IngestAnswer['rejected'][number][] = [];
  for (let from = 0; from < events.length; from += MOST_EVENTS) {
    const answer = await ingest(db, events.slice(from, from + MOST_EVENTS), { sourceId });
    accepted += answer.accepted;
    duplicates += answer.duplicates;
    rejected.push(...answer.rejected.map((one) => ({ ...one, index: one.index + from })));
  }
  return { accepted, duplicates, rejected };
}

function mapped(
  mapping: Mapping | null,
  body: Value,
  context: { source: string; id: string; storeCurrency: string },
): { events: unknown[]; skipped: string[] } {
  if (!mapping) return { events: Array.isArray(body) ? [...(body as readonly Value[])] : [body], skipped: [] };
  const all = applyMapping(mapping, body, context);
  return {
    events: all.flatMap((one) => ('event' in one ? [one.event] : [])),
    skipped: all.flatMap((one) => ('skipped' in one ? [one.skipped] : [])),
  };
}
