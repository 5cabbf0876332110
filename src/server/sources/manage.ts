import { randomBytes, randomUUID } from 'node:crypto';
import { Webhook } from 'standardwebhooks';
import * as z from 'zod';
import {
  nameInput,
  sourceInput,
  type ArrivalView,
  type RejectionView,
  type SourceDetail,
  type SourceView,
  type TriedBody,
} from '@/core/api';
import { applyMapping, mappingSchema, siteSchema, type Mapping, type Scope } from '@/core/sources';
import type { Value } from '@/core/rules';
import { HOUR } from '@/core/time';
import { inTransaction, type Db } from '@/data/db';
import { countWaiting } from '@/data/revenue';
import {
  arrived,
  createSource,
  findSource,
  latestMapping,
  listBodies,
  listMappings,
  listRejections,
  listSources,
  minutesOf,
  renameSource,
  restoreSource,
  revokeSource,
  saveMapping,
  setSourceSecret,
  setSourceSettings,
  type SourceListRow,
  type SourceRow,
} from '@/data/sources';
import { readStore, recordAct } from '@/data/store';
import { env } from '../base';
import { cursorOf, notFound, Problem, problemsOf } from '../http';
import { ingest, parseEvent, type IngestAnswer } from '../ingest';
import { publicId } from '../people';
import { hashKey } from '../access';
import { takeWebhook } from './webhook';

function addressOf(row: SourceRow): string | null {
  const { url } = env();
  return row.kind === 'webhook'
    ? `${url}/api/in/${row.key}`
    : row.kind === 'snippet'
      ? `${url}/api/collect/${row.key}`
      : row.kind === 'key'
        ? `${url}/api/v1/events`
        : null;
}

function viewOf(row: SourceRow & Partial<SourceListRow>): SourceView {
  return {
    key: row.key,
    kind: row.kind,
    name: row.name,
    hint: row.hint,
    scopes: row.scopes,
    sites: row.settings.sites ?? [],
    address: addressOf(row),
    createdAt: row.created_at.toISOString(),
    createdBy: row.created_by,
    lastUsedAt: row.last_used_at?.toISOString() ?? null,
    revokedAt: row.revoked_at?.toISOString() ?? null,
    lastHour: row.last_hour ?? 0,
    lastDay: row.last_day ?? 0,
    rejectedDay: row.rejected_day ?? 0,
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
  const [all, minutes, mappings, bodies, waiting] = await Promise.all([
    listSources(db, now),
    minutesOf(db, row.id, now - HOUR, now),
    listMappings(db, row.id),
    listBodies(db, row.id, 50),
    countWaiting(db, row.id),
  ]);
  const latest = mappings[0];
  return {
    ...viewOf(all.find((one) => one.id === row.id) ?? row),
    waiting,
    minutes: minutes.map((one) => ({ ...one, minute: one.minute.toISOString() })),
    mapping: latest
      ? { version: latest.version, document: latest.document, savedAt: latest.saved_at.toISOString(), savedBy: latest.saved_by }
      : null,
    mappings: mappings.map((one) => ({ version: one.version, savedAt: one.saved_at.toISOString(), savedBy: one.saved_by })),
    bodies: bodies.map((one) => ({ id: one.id, at: one.at.toISOString(), webhookId: one.webhook_id, raw: one.raw, outcome: one.outcome })),
  };
}

/** The last events of a source as they arrived: whose, what was in them, what they set off. */
export async function arrivals(db: Db, key: string): Promise<{ arrivals: ArrivalView[] }> {
  const row = await source(db, key);
  return {
    arrivals: (await arrived(db, row.id, 50)).map((one) => ({
      id: one.id,
      type: one.type,
      time: one.time.toISOString(),
      receivedAt: one.received_at.toISOString(),
      eventId: one.event_id,
      person: { id: publicId({ id: one.person_id, external_id: one.external_id }), name: one.name, email: one.email },
      properties: one.properties as { [name: string]: Value },
      started: one.entered,
    })),
  };
}

export async function rejections(db: Db, key: string, url: URL): Promise<{ rejections: RejectionView[]; next: string | null }> {
  const row = await source(db, key);
  const before = cursorOf(url);
  const rows = await listRejections(db, row.id, 51, before);
  return {
    rejections: rows
      .slice(0, 50)
      .map((one) => ({ id: one.id, at: one.at.toISOString(), type: one.type, problems: one.problems, raw: one.raw })),
    next: rows.length > 50 ? rows[49]!.id : null,
  };
}

/** 24 to 64 random bytes, base64, by the Standard Webhooks specification. */
const webhookSecret = (): string => `whsec_${randomBytes(32).toString('base64')}`;
/** What a shop's server signs with who is at a page. */
export function snippetSecret(): { secret: string; hint: string } {
  const secret = `vsig_${randomBytes(32).toString('base64url')}`;
  return { secret, hint: hintOf(secret) };
}
const hintOf = (secret: string): string => `${secret.slice(0, 8)}…${secret.slice(-4)}`;

/** Who makes or changes a source, and what they may do themselves. */
export interface Maker {
  readonly name: string;
  readonly scopes: readonly Scope[];
}

/** What a webhook or a snippet lets whoever has its secret do. */
const TAKES_IN: readonly Scope[] = ['events'];

/** Nobody gives what they do not have. */
function mayGive(maker: Maker, scopes: readonly Scope[]): void {
  const beyond = scopes.filter((scope) => !maker.scopes.includes(scope));
  if (beyond.length)
    throw new Problem(
      403,
      'Not allowed',
      `${maker.name} may not give what it does not have: ${beyond.join(', ')}. It has: ${maker.scopes.join(', ')}.`,
      [{ field: 'scopes', wrong: 'go beyond your own', right: maker.scopes.join(', ') }],
    );
}

/** Makes a source. A key and a webhook's secret are in this answer and never again. */
export async function makeSource(db: Db, body: unknown, maker: Maker): Promise<{ source: SourceView; shownOnce: string | null }> {
  const parsed = sourceInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a source', 'Nothing was made.', problemsOf(parsed.error));
  const wanted = parsed.data;
  const by = maker.name;
  mayGive(maker, wanted.kind === 'key' ? wanted.scopes : TAKES_IN);
  const { now } = await readStore(db);
  const key = `${wanted.kind}-${randomBytes(6).toString('hex')}`;
  const shownOnce =
    wanted.kind === 'key'
      ? `vk_${randomBytes(24).toString('base64url')}`
      : wanted.kind === 'webhook'
        ? webhookSecret()
        : snippetSecret().secret;
  await inTransaction(db, async (trx) => {
    const common = { key, name: wanted.name, by };
    if (wanted.kind === 'key') {
      const hint = `${shownOnce.slice(0, 7)}…${shownOnce.slice(-4)}`;
      await createSource(trx, { ...common, kind: 'key', hash: hashKey(shownOnce), hint, scopes: wanted.scopes });
    } else if (wanted.kind === 'webhook') {
      await createSource(trx, { ...common, kind: 'webhook', secret: shownOnce, hint: hintOf(shownOnce) });
    } else {
      await createSource(trx, {
        ...common,
        kind: 'snippet',
        secret: shownOnce,
        hint: hintOf(shownOnce),
        settings: { sites: wanted.sites },
      });
    }
    await recordAct(trx, now, by, 'source.made', { key, kind: wanted.kind });
  });
  return { source: viewOf(await source(db, key)), shownOnce };
}

const changeSchema = z.strictObject({
  name: nameInput.shape.name.optional(),
  sites: z.array(siteSchema).min(1).max(20).optional(),
  revoked: z.boolean().optional(),
  newSecret: z.boolean().optional(),
});

/** Renames, revokes or restores a source, or gives a webhook another secret (shown once). */
export async function changeSource(
  db: Db,
  key: string,
  body: unknown,
  maker: Maker,
): Promise<{ source: SourceView; shownOnce: string | null }> {
  const parsed = changeSchema.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a change', 'Nothing was changed.', problemsOf(parsed.error));
  const row = await source(db, key);
  if (row.kind === 'own' || row.kind === 'hand')
    throw new Problem(422, 'Part of Viatic', 'This source is part of Viatic and cannot be changed.');
  const wish = parsed.data;
  // to bring it back, to let other sites in or to learn its secret is to give what it can do
  if (wish.revoked === false || wish.newSecret || wish.sites) mayGive(maker, row.kind === 'key' ? row.scopes : TAKES_IN);
  let shownOnce: string | null = null;
  if (wish.newSecret && row.kind === 'webhook') shownOnce = webhookSecret();
  if (wish.newSecret && row.kind === 'snippet') shownOnce = snippetSecret().secret;
  await inTransaction(db, async (trx) => {
    if (wish.name) await renameSource(trx, row.id, wish.name);
    if (wish.sites) await setSourceSettings(trx, row.id, { ...row.settings, sites: wish.sites });
    if (wish.revoked === true) await revokeSource(trx, row.id);
    if (wish.revoked === false) await restoreSource(trx, row.id);
    if (shownOnce) await setSourceSecret(trx, row.id, shownOnce, hintOf(shownOnce));
    await recordAct(trx, (await readStore(trx)).now, maker.name, 'source.changed', {
      key,
      ...wish,
      ...(wish.newSecret && { newSecret: 'made' }),
    });
  });
  return { source: viewOf(await source(db, key)), shownOnce };
}

/** Sends a test event into a source, through its own door, and answers with what became of it. */
export async function testSource(db: Db, key: string): Promise<{ answer: IngestAnswer; sent: unknown }> {
  const row = await source(db, key);
  if (row.revoked_at) throw new Problem(422, 'Revoked', 'This source is revoked and takes nothing in. Restore it first.');
  const store = await readStore(db);
  const id = `test-${randomUUID()}`;
  if (row.kind === 'webhook') {
    const last = (await listBodies(db, row.id, 1))[0];
    const mapping = await latestMapping(db, row.id);
    const body =
      last && mapping
        ? last.raw
        : JSON.stringify({
            id,
            source: `webhook/${row.key}`,
            type: 'app.test',
            data: { note: 'A test event from Viatic', person: { email: 'test@example.com' } },
          });
    const at = new Date();
    // signed and checked as a sender's would be
    const headers = new Headers({
      'webhook-id': id,
      'webhook-timestamp': String(Math.floor(at.getTime() / 1000)),
      'webhook-signature': new Webhook(row.secret!).sign(id, at, body),
    });
    return { answer: await takeWebhook(db, row.key, headers, body), sent: JSON.parse(body) as unknown };
  }
  const event = {
    id,
    source: `test/${row.key}`,
    type: row.kind === 'snippet' ? 'page.viewed' : 'app.test',
    time: new Date(store.now).toISOString(),
    data: {
      note: 'A test event from Viatic',
      ...(row.kind === 'snippet' && { url: row.settings.sites?.[0] ?? '' }),
      person: { email: 'test@example.com' },
    },
  };
  return { answer: await ingest(db, event, { sourceId: row.id }), sent: event };
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
  const { now } = await readStore(db);
  await inTransaction(db, (trx) => saveMapping(trx, row.id, mapping, by, now));
  return sourceDetail(db, key);
}

/** Tries a mapping on the last bodies received, or on one that is given; nothing is stored. */
export async function tryMapping(db: Db, key: string, body: unknown): Promise<{ tried: TriedBody[] }> {
  const parsed = z.object({ mapping: z.unknown(), sample: z.string().max(1_000_000).optional() }).safeParse(body);
  if (!parsed.success)
    throw new Problem(422, 'Not a mapping', 'Send mapping, and sample for a body of your own.', problemsOf(parsed.error));
  const mapping = readMapping(parsed.data.mapping);
  const row = await source(db, key);
  const store = await readStore(db);
  const bodies =
    parsed.data.sample !== undefined
      ? [{ id: 'sample', at: new Date(store.now), webhook_id: 'sample', raw: parsed.data.sample }]
      : await listBodies(db, row.id, 20);
  return {
    tried: bodies.map((one) => {
      let value: Value;
      try {
        value = JSON.parse(one.raw) as Value;
      } catch {
        return { id: one.id, at: one.at.toISOString(), results: [{ skipped: 'the body is not JSON' }] };
      }
      return {
        id: one.id,
        at: one.at.toISOString(),
        results: applyMapping(mapping, value, { source: `webhook/${row.key}`, id: one.webhook_id, storeCurrency: store.currency }).map(
          (result) => {
            if ('skipped' in result) return result;
            const checked = parseEvent(result.event, store.now);
            return { event: result.event, problems: 'problems' in checked ? checked.problems : [] };
          },
        ),
      };
    }),
  };
}
