import { randomBytes, randomUUID } from 'node:crypto';
import { Webhook } from 'standardwebhooks';
import { z } from 'zod';
import type { ArrivalView, RejectionView, SourceDetail, SourceView, TriedBody } from '@/core/api';
import { applyMapping, mappingSchema, type Mapping } from '@/core/sources';
import type { Value } from '@/core/rules';
import { DAY, HOUR } from '@/core/time';
import type { Db } from '@/data/db';
import {
  arrived, createSource, findSource, latestMapping, listBodies, listMappings, listRejections, listSources, minutesOf, noteSourceUse, renameSource, restoreSource, revokeSource, saveBody, saveMapping,
  saveRejections, SCOPES, setSourceSecret, setSourceSettings, type SourceListRow, type SourceRow,
} from '@/data/sources';
import { readStore, recordAct } from '@/data/store';
import { env } from './env';
import { notFound, Problem, problemsOf, type FieldProblem } from './http/problem';
import { unstorable } from './http/read';
import { ingest, type IngestAnswer } from './ingest/ingest';
import { MOST_EVENTS, parseEvent } from './ingest/parse';
import { publicId } from './people';
import { hashKey } from './passwords';

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

/**
 * Takes the body of a signed webhook in (Standard Webhooks: signature over id, timestamp and body, refused when older
 * or newer than five minutes), by the latest mapping of its source; without one the body must be an event of ours.
 */
export async function takeWebhook(db: Db, scope: string, key: string, headers: Headers, raw: string): Promise<IngestAnswer> {
  const row = await findSource(db, key);
  if (!row || row.kind !== 'webhook' || row.revoked_at || !row.secret) throw notFound('webhook at this address');
  try {
    new Webhook(row.secret).verify(raw, Object.fromEntries(headers));
  } catch {
    throw new Problem(401, 'Not signed', 'The signature is missing, wrong, or more than five minutes off (Standard Webhooks: webhook-id, webhook-timestamp, webhook-signature).');
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
  const { events, skipped } = mapped(mapping?.document ?? null, body, { source: `webhook/${row.key}`, id: webhookId, storeCurrency: store.currency });
  const answer = await takeMany(db, scope, events, row.id);
  const problems: FieldProblem[] = [...answer.rejected.flatMap((one) => one.problems), ...skipped.map((why) => ({ field: 'body', wrong: why, right: 'map it, or leave it' }))];
  await saveBody(db, row.id, store.now, { webhookId, raw, outcome: { accepted: answer.accepted, duplicates: answer.duplicates, problems: problems.slice(0, 20) } });
  return answer;
}

/** Takes any number of events in, as many at a time as the door takes. */
async function takeMany(db: Db, scope: string, events: readonly unknown[], sourceId: number): Promise<IngestAnswer> {
  let [accepted, duplicates] = [0, 0];
  const rejected: IngestAnswer['rejected'][number][] = [];
  for (let from = 0; from < events.length; from += MOST_EVENTS) {
    const answer = await ingest(db, scope, events.slice(from, from + MOST_EVENTS), { sourceId });
    accepted += answer.accepted;
    duplicates += answer.duplicates;
    rejected.push(...answer.rejected.map((one) => ({ ...one, index: one.index + from })));
  }
  return { accepted, duplicates, rejected };
}

function mapped(mapping: Mapping | null, body: Value, context: { source: string; id: string; storeCurrency: string }): { events: unknown[]; skipped: string[] } {
  if (!mapping) return { events: Array.isArray(body) ? [...(body as readonly Value[])] : [body], skipped: [] };
  const all = applyMapping(mapping, body, context);
  return { events: all.flatMap((one) => ('event' in one ? [one.event] : [])), skipped: all.flatMap((one) => ('skipped' in one ? [one.skipped] : [])) };
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

/** What a page may send: nothing that a stranger could harm with. Orders, consent and the like come from servers. */
const PAGE_TYPES = /^(page|product|search|cart|checkout|form|app)\.[a-z0-9_]+$/;
const collectSchema = z.strictObject({ device: z.string().regex(/^[A-Za-z0-9_-]{16,64}$/), events: z.array(z.looseObject({ id: z.string().min(8).max(100), type: z.string().regex(PAGE_TYPES, 'is not what a page may send'), time: z.string().max(40).optional(), data: z.record(z.string(), z.unknown()).optional() })).max(50), person: z.looseObject({ email: z.string().max(320).optional(), externalId: z.string().max(255).optional() }).optional() });

/** The site that a page's request comes from when it is one of the source's, or null. */
export async function siteOf(db: Db, key: string, origin: string | null): Promise<{ row: SourceRow; origin: string } | null> {
  const row = await findSource(db, key);
  if (!row || row.kind !== 'snippet' || row.revoked_at || !origin) return null;
  return row.settings.sites?.includes(origin) ? { row, origin } : null;
}

/**
 * Takes in what the page snippet has gathered. The key in its address is no secret, so it may only tell of browsing;
 * links in it must lead to the site itself, and of the person it can say who, but teach no attributes and no consent.
 */
export async function collect(db: Db, scope: string, row: SourceRow, raw: string): Promise<IngestAnswer> {
  let body: unknown;
  try {
    body = JSON.parse(raw);
  } catch {
    throw new Problem(400, 'Malformed JSON', 'The body is not JSON.');
  }
  const parsed = collectSchema.safeParse(body);
  const store = await readStore(db);
  if (!parsed.success) {
    const problems = problemsOf(parsed.error);
    await saveRejections(db, row.id, store.now, [{ type: null, problems, raw: raw.slice(0, 16_384) }], 1);
    throw new Problem(422, 'Not from a page', 'What the page sent was not taken.', problems);
  }
  const { device, events, person } = parsed.data;
  if (!events.length) return { accepted: 0, duplicates: 0, rejected: [] };
  await noteSourceUse(db, row.id);
  // a page's clock is anybody's: what it says of the last day is taken, else the event happened now
  const timeOf = (time: string | undefined) => {
    const at = time ? Date.parse(time) : NaN;
    const shifted = at + (store.now - Date.now());
    return Number.isFinite(at) && shifted > store.now - DAY && shifted <= store.now + 60_000 ? new Date(Math.min(shifted, store.now)).toISOString() : new Date(store.now).toISOString();
  };
  return ingest(db, scope, events.map((event) => {
    const { person: _, ...data } = ownLinks(event.data ?? {}, row.settings.sites ?? []);
    return { id: event.id, source: `page/${row.key}`, type: event.type, time: timeOf(event.time), ...(person?.externalId && { subject: person.externalId }), data: { ...data, person: { device, ...(person?.email && { email: person.email }) } } };
  }), { sourceId: row.id });
}

/** Takes out of data every address that does not lead to one of the sites: a stranger must not put links into our messages. */
function ownLinks(data: Record<string, unknown>, sites: readonly string[]): Record<string, unknown> {
  const clean = (value: unknown, depth: number): unknown => {
    if (typeof value === 'string') return withoutForeignLinks(value, sites);
    if (value === null || typeof value !== 'object' || depth > 20) return value;
    if (Array.isArray(value)) return value.map((one) => clean(one, depth + 1));
    return Object.fromEntries(Object.entries(value).map(([key, one]) => [key, clean(one, depth + 1)]));
  };
  return clean(data, 0) as Record<string, unknown>;
}

/** A text without what a browser or a mail program would make a link of that leads elsewhere; within a text, just that. */
function withoutForeignLinks(text: string, sites: readonly string[]): string {
  // as a browser reads an address: without tabs, line breaks and what stands before it (WHATWG URL §4.4)
  const bare = text.replace(/[\t\n\r]/g, '').replace(/^[\u0000-\u0020]+/, '');
  const url = URL.canParse(bare) ? new URL(bare) : null;
  if (url && /^(https?|ftp|file|data|blob|javascript|vbscript):$/.test(url.protocol)) return sites.includes(url.origin) ? text : '';
  let isForeign = false;
  const kept = bare.replace(/(?:[a-z][a-z0-9+.-]*:)?\/\/\S+|\bwww\.\S+/gi, (link) => {
    if (URL.canParse(link) && sites.includes(new URL(link).origin)) return link;
    isForeign = true;
    return '';
  });
  return isForeign ? kept.trim() : text;
}
