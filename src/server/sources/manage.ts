import { randomBytes, randomUUID } from 'node:crypto';
import { Webhook } from 'standardwebhooks';
import { z } from 'zod';
import type { ArrivalView, RejectionView, SourceDetail, SourceView, TriedBody } from '@/core/api';
import { applyMapping, mappingSchema, type Mapping } from '@/core/sources';
import type { Value } from '@/core/rules';
import { HOUR } from '@/core/time';
import type { Db } from '@/data/db';
import {
  arrived, createSource, findSource, latestMapping, listBodies, listMappings, listRejections, listSources, minutesOf, renameSource, restoreSource, revokeSource, saveMapping, SCOPES, setSourceSecret, setSourceSettings, type SourceListRow, type SourceRow,
} from '@/data/sources';
import { readStore, recordAct } from '@/data/store';
import { env } from '../env';
import { notFound, Problem, problemsOf } from '../http/problem';
import { ingest, type IngestAnswer } from '../ingest/ingest';
import { parseEvent } from '../ingest/parse';
import { publicId } from '../people';
import { hashKey } from '../passwords';
import { takeWebhook } from './webhook';

function addressOf(row: SourceRow): string | null {
  const { url } = env();
  return row.kind === 'webhook' ? `${url}/api/in/${row.key}` : row.kind === 'snippet' ? `${url}/api/collect/${row.key}` : row.kind === 'key' ? `${url}/api/v1/events` : null;
}

function viewOf(row: SourceRow & Partial<SourceListRow>): SourceView {
  return {
    key: row.key, kind: row.kind, name: row.name, hint: row.hint, scopes: row.scopes, sites: row.settings.sites ?? [], address: addressOf(row),
    createdAt: row.created_at.toISOString(), createdBy: row.created_by, lastUsedAt: row.last_used_at?.toISOString() ?? null, revokedAt: row.revoked_at?.toISOString() ?? null,
    lastHour: row.last_hour ?? 0, lastDay: row.last_day ?? 0, rejectedDay: row.rejected_day ?? 0,
  };
}

/** All sources, with what they brought in the last hour and day. */
export async function sourceList(db: Db): Promise<{ sources: SourceView[] }> {
  const { now } = await readStore(db);
  return { sources: (await listSources(db, now)).map(viewOf) };
}

async function source(db: Db, key: string): Promise<SourceRow> {
  const row = await findSource(db, key);
  if (!row) throw notFound(`source "${key.slice(0, 80)}"`);
  return row;
}

/** A source with its rate over the last hour and, for a webhook, its mapping and the last bodies. */
export async function sourceDetail(db: Db, key: string): Promise<SourceDetail> {
  const row = await source(db, key);
  const { now } = await readStore(db);
  const [all, minutes, mappings, bodies] = await Promise.all([listSources(db, now), minutesOf(db, row.id, now - HOUR, now), listMappings(db, row.id), listBodies(db, row.id, 50)]);
  const latest = mappings[0];
  return {
    ...viewOf(all.find((one) => one.id === row.id) ?? row),
    minutes: minutes.map((one) => ({ ...one, minute: one.minute.toISOString() })),
    mapping: latest ? { version: latest.version, document: latest.document, savedAt: latest.saved_at.toISOString(), savedBy: latest.saved_by } : null,
    mappings: mappings.map((one) => ({ version: one.version, savedAt: one.saved_at.toISOString(), savedBy: one.saved_by })),
    bodies: bodies.map((one) => ({ id: one.id, at: one.at.toISOString(), webhookId: one.webhook_id, raw: one.raw, outcome: one.outcome })),
  };
}

/** The last events of a source as they arrived: whose, what was in them, what they set off. */
export async function arrivals(db: Db, key: string): Promise<{ arrivals: ArrivalView[] }> {
  const row = await source(db, key);
  return {
    arrivals: (await arrived(db, row.id, 50)).map((one) => ({
      id: one.id, type: one.type, time: one.time.toISOString(), receivedAt: one.received_at.toISOString(), eventId: one.event_id,
      person: { id: publicId({ id: one.person_id, external_id: one.external_id }), name: one.name, email: one.email }, properties: one.properties as { [name: string]: Value }, started: one.entered,
    })),
  };
}

export async function rejections(db: Db, key: string, url: URL): Promise<{ rejections: RejectionView[]; next: string | null }> {
  const row = await source(db, key);
  const before = url.searchParams.get('before');
  if (before && !/^\d{1,18}$/.test(before)) throw new Problem(400, 'Not a cursor', 'The cursor is not one of ours.');
  const rows = await listRejections(db, row.id, 51, before);
  return { rejections: rows.slice(0, 50).map((one) => ({ id: one.id, at: one.at.toISOString(), type: one.type, problems: one.problems, raw: one.raw })), next: rows.length > 50 ? rows[49]!.id : null };
}

const name = z.string().trim().min(1).max(80);
const site = z.string().trim().max(200).transform((text, ctx) => {
  try {
    const url = new URL(text.includes('://') ? text : `https://${text}`);
    if (url.protocol !== 'http:' && url.protocol !== 'https:') throw new Error('protocol');
    return url.origin;
  } catch {
    ctx.addIssue({ code: 'custom', message: 'is not the address of a site' });
    return '';
  }
});
const createSchema = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('key'), name, scopes: z.array(z.enum(SCOPES)).min(1) }),
  z.strictObject({ kind: z.literal('webhook'), name }),
  z.strictObject({ kind: z.literal('snippet'), name, sites: z.array(site).min(1).max(20) }),
]);

/** Makes a source. A key and a webhook's secret are in this answer and never again. */
export async function makeSource(db: Db, body: unknown, by: string): Promise<{ source: SourceView; shownOnce: string | null }> {
  const parsed = createSchema.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a source', 'Nothing was made.', problemsOf(parsed.error));
  const wanted = parsed.data;
  const { now } = await readStore(db);
  const key = `${wanted.kind}-${randomBytes(6).toString('hex')}`;
  let shownOnce: string | null = null;
  if (wanted.kind === 'key') {
    shownOnce = `vk_${randomBytes(24).toString('base64url')}`;
    await createSource(db, { key, kind: 'key', name: wanted.name, by, hash: hashKey(shownOnce), hint: `${shownOnce.slice(0, 7)}…${shownOnce.slice(-4)}`, scopes: wanted.scopes });
  } else if (wanted.kind === 'webhook') {
    // 24 to 64 random bytes, base64, by the Standard Webhooks specification
    shownOnce = `whsec_${randomBytes(32).toString('base64')}`;
    await createSource(db, { key, kind: 'webhook', name: wanted.name, by, secret: shownOnce, hint: `${shownOnce.slice(0, 8)}…${shownOnce.slice(-4)}` });
  } else await createSource(db, { key, kind: 'snippet', name: wanted.name, by, settings: { sites: wanted.sites } });
  await recordAct(db, now, by, 'source.made', { key, kind: wanted.kind });
  return { source: viewOf(await source(db, key)), shownOnce };
}

const changeSchema = z.strictObject({ name: name.optional(), sites: z.array(site).min(1).max(20).optional(), revoked: z.boolean().optional(), newSecret: z.boolean().optional() });

/** Renames, revokes or restores a source, or gives a webhook another secret (shown once). */
export async function changeSource(db: Db, key: string, body: unknown, by: string): Promise<{ source: SourceView; shownOnce: string | null }> {
  const parsed = changeSchema.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a change', 'Nothing was changed.', problemsOf(parsed.error));
  const row = await source(db, key);
  if (row.kind === 'own' || row.kind === 'hand') throw new Problem(422, 'Part of Viatic', 'This source is part of Viatic and cannot be changed.');
  const wish = parsed.data;
  let shownOnce: string | null = null;
  if (wish.name) await renameSource(db, row.id, wish.name);
  if (wish.sites) await setSourceSettings(db, row.id, { ...row.settings, sites: wish.sites });
  if (wish.revoked === true) await revokeSource(db, row.id);
  if (wish.revoked === false) await restoreSource(db, row.id);
  if (wish.newSecret && row.kind === 'webhook') {
    shownOnce = `whsec_${randomBytes(32).toString('base64')}`;
    await setSourceSecret(db, row.id, shownOnce);
  }
  await recordAct(db, (await readStore(db)).now, by, 'source.changed', { key, ...wish, ...(wish.newSecret && { newSecret: 'made' }) });
  return { source: viewOf(await source(db, key)), shownOnce };
}

/** Sends a test event into a source, through its own door, and answers with what became of it. */
export async function testSource(db: Db, scope: string, key: string): Promise<{ answer: IngestAnswer; sent: unknown }> {
  const row = await source(db, key);
  if (row.revoked_at) throw new Problem(422, 'Revoked', 'This source is revoked and takes nothing in. Restore it first.');
  const store = await readStore(db);
  const id = `test-${randomUUID()}`;
  if (row.kind === 'webhook') {
    const last = (await listBodies(db, row.id, 1))[0];
    const mapping = await latestMapping(db, row.id);
    const body = last && mapping ? last.raw : JSON.stringify({ id, source: `webhook/${row.key}`, type: 'app.test', data: { note: 'A test event from Viatic', person: { email: 'test@example.com' } } });
    const at = new Date();
    // signed and checked as a sender's would be
    const headers = new Headers({ 'webhook-id': id, 'webhook-timestamp': String(Math.floor(at.getTime() / 1000)), 'webhook-signature': new Webhook(row.secret!).sign(id, at, body) });
    return { answer: await takeWebhook(db, scope, row.key, headers, body), sent: JSON.parse(body) as unknown };
  }
  const event = { id, source: `test/${row.key}`, type: row.kind === 'snippet' ? 'page.viewed' : 'app.test', time: new Date(store.now).toISOString(), data: { note: 'A test event from Viatic', ...(row.kind === 'snippet' && { url: row.settings.sites?.[0] ?? '' }), person: { email: 'test@example.com' } } };
  return { answer: await ingest(db, scope, event, { sourceId: row.id }), sent: event };
}

function readMapping(body: unknown): Mapping {
  const parsed = mappingSchema.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a mapping', 'Nothing was stored.', problemsOf(parsed.error));
  return parsed.data;
}

/** Stores a mapping as the next version of a webhook's. */
export async function storeMapping(db: Db, key: string, body: unknown, by: string): Promise<SourceDetail> {
  const mapping = readMapping(body);
  const row = await source(db, key);
  if (row.kind !== 'webhook') throw new Problem(422, 'Not a webhook', 'Only webhooks have a mapping.');
  await saveMapping(db, row.id, mapping, by, (await readStore(db)).now);
  return sourceDetail(db, key);
}

/** Tries a mapping on the last bodies received, or on one that is given; nothing is stored. */
export async function tryMapping(db: Db, key: string, body: unknown): Promise<{ tried: TriedBody[] }> {
  const parsed = z.object({ mapping: z.unknown(), sample: z.string().max(1_000_000).optional() }).safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a mapping', 'Send mapping, and sample for a body of your own.', problemsOf(parsed.error));
  const mapping = readMapping(parsed.data.mapping);
  const row = await source(db, key);
  const store = await readStore(db);
  const bodies = parsed.data.sample !== undefined ? [{ id: 'sample', at: new Date(store.now), webhook_id: 'sample', raw: parsed.data.sample }] : await listBodies(db, row.id, 20);
  return {
    tried: bodies.map((one) => {
      let value: Value;
      try {
        value = JSON.parse(one.raw) as Value;
      } catch {
        return { id: one.id, at: one.at.toISOString(), results: [{ skipped: 'the body is not JSON' }] };
      }
      return {
        id: one.id, at: one.at.toISOString(),
        results: applyMapping(mapping, value, { source: `webhook/${row.key}`, id: one.webhook_id, storeCurrency: store.currency }).map((result) => {
          if ('skipped' in result) return result;
          const checked = parseEvent(result.event, store.now);
          return { event: result.event, problems: 'problems' in checked ? checked.problems : [] };
        }),
      };
    }),
  };
}
