import { DAY, type Instant } from '@/core/time';
import { SCOPES, type Mapping, type Scope } from '@/core/sources';
import { query, queryOne, queryPrepared, rowsOf, type Sql } from '../db';

const REJECTED = rowsOf({ type: 'text', problems: 'jsonb', raw: 'text' });

export type SourceKind = 'own' | 'hand' | 'key' | 'webhook' | 'snippet' | 'form' | 'file';
/** The source of what Viatic itself reports, and that of what people enter by hand. */
export const OWN_SOURCE = 1;
export const HAND_SOURCE = 2;

export interface SourceRow {
  id: number;
  key: string;
  kind: SourceKind;
  name: string;
  hint: string | null;
  scopes: Scope[];
  secret: string | null;
  settings: { readonly sites?: readonly string[]; readonly paused?: boolean };
  created_at: Date;
  created_by: string | null;
  last_used_at: Date | null;
  revoked_at: Date | null;
}

const COLUMNS = 'id, key, kind, name, hint, scopes, secret, settings, created_at, created_by, last_used_at, revoked_at';

export async function createSource(
  sql: Sql,
  source: {
    key: string;
    kind: SourceKind;
    name: string;
    by: string;
    hash?: string;
    hint?: string;
    scopes?: readonly Scope[];
    secret?: string;
    settings?: object;
  },
): Promise<number> {
  const row = await queryOne<{ id: number }>(
    sql,
    `insert into sources (key, kind, name, hash, hint, scopes, secret, settings, created_by)
     values (:key, :kind, :name, :hash, :hint, :scopes, :secret, :settings, :by) returning id`,
    {
      hash: null,
      hint: null,
      secret: null,
      ...source,
      scopes: [...(source.scopes ?? [])],
      settings: JSON.stringify(source.settings ?? {}),
    },
  );
  return row!.id;
}

/** A key of the public interface, kept as its digest. */
export async function createKey(
  sql: Sql,
  key: { name: string; hash: string; hint: string; scopes?: readonly Scope[]; by?: string },
): Promise<number> {
  const id = await createSource(sql, {
    key: `key-${key.hash.slice(0, 12)}`,
    kind: 'key',
    name: key.name,
    hash: key.hash,
    hint: key.hint,
    scopes: key.scopes ?? SCOPES,
    by: key.by ?? 'set-up',
  });
  return id;
}

/** The key that is valid under a digest, or null; notes its use at most once a minute. */
export async function findKey(sql: Sql, hash: string): Promise<{ id: number; name: string; scopes: Scope[] } | null> {
  // asked with each request, so that a key which is revoked works no longer than the request in hand
  const [row] = await queryPrepared<{ id: number; name: string; scopes: Scope[]; is_stale: boolean }>(
    sql,
    'find_key',
    `select id, name, scopes, last_used_at is null or last_used_at < now() - interval '1 minute' as is_stale from sources
      where hash = :hash and revoked_at is null`,
    { hash },
  );
  if (row?.is_stale) await noteSourceUse(sql, row.id);
  return row ?? null;
}

export async function noteSourceUse(sql: Sql, id: number): Promise<void> {
  await query(
    sql,
    `update sources set last_used_at = now() where id = :id and (last_used_at is null or last_used_at < now() - interval '10 seconds')`,
    { id },
  );
}

export async function findSource(sql: Sql, key: string): Promise<SourceRow | null> {
  return queryOne<SourceRow>(sql, `select ${COLUMNS} from sources where key = :key`, { key });
}

/** The sites on which a page snippet of the store's stands. */
export async function snippetSites(sql: Sql): Promise<string[]> {
  return (
    await query<{ site: string }>(
      sql,
      `select distinct jsonb_array_elements_text(settings->'sites') as site from sources where kind = 'snippet' and revoked_at is null
        and jsonb_typeof(settings->'sites') = 'array'`,
    )
  ).map((row) => row.site);
}

export interface SourceListRow extends SourceRow {
  last_hour: number;
  last_day: number;
  rejected_day: number;
  minutes: { at: string; accepted: number; rejected: number }[] | null;
}

/** All sources with what they brought lately, as of now. */
export async function listSources(sql: Sql, now: Instant): Promise<SourceListRow[]> {
  return query<SourceListRow>(
    sql,
    `select ${COLUMNS.split(', ')
      .map((c) => `s.${c}`)
      .join(', ')},
       coalesce(sum(m.accepted) filter (where m.minute > cast(:now as timestamptz) - interval '1 hour'), 0)::int as last_hour,
       coalesce(sum(m.accepted), 0)::int as last_day, coalesce(sum(m.rejected), 0)::int as rejected_day
     from sources s left join source_minutes m on m.source_id = s.id and m.minute > cast(:now as timestamptz) - interval '1 day' and m.minute <= :now
     group by s.id order by s.revoked_at is not null, s.kind = 'own', s.id`,
    { now: new Date(now) },
  );
}

export async function renameSource(sql: Sql, id: number, name: string): Promise<void> {
  await query(sql, 'update sources set name = :name where id = :id', { id, name });
}

export async function revokeSource(sql: Sql, id: number): Promise<void> {
  await query(sql, 'update sources set revoked_at = now() where id = :id and revoked_at is null', { id });
}

export async function restoreSource(sql: Sql, id: number): Promise<void> {
  await query(sql, 'update sources set revoked_at = null where id = :id', { id });
}

export async function setSourceSettings(sql: Sql, id: number, settings: object): Promise<void> {
  await query(sql, 'update sources set settings = :settings where id = :id', { id, settings: JSON.stringify(settings) });
}

export async function setSourceSecret(sql: Sql, id: number, secret: string, hint: string): Promise<void> {
  await query(sql, 'update sources set secret = :secret, hint = :hint where id = :id', { id, secret, hint });
}

export interface Rejection {
  readonly type: string | null;
  readonly problems: readonly object[];
  readonly raw: string;
}

/** Keeps what was refused, with the reason, so that it can be looked at and sent again; `count` is how many there were. */
export async function saveRejections(sql: Sql, sourceId: number, at: Instant, rows: readonly Rejection[], count: number): Promise<void> {
  if (!rows.length) return;
  await query(
    sql,
    `with noted as (insert into arrivals (source_id, at, accepted, duplicates, rejected, seen) values (:sourceId, :at, 0, 0, :count, '{}'))
     insert into rejections (source_id, at, type, problems, raw)
     select :sourceId, :at, type, problems, raw from ${REJECTED.sql} as r`,
    { sourceId, at: new Date(at), count, rows: REJECTED.ofAnything(rows) },
  );
}

export interface RejectionRow {
  id: string;
  at: Date;
  type: string | null;
  problems: { field: string; wrong: string; right: string }[];
  raw: string;
}

export async function listRejections(sql: Sql, sourceId: number, limit: number, before: string | null): Promise<RejectionRow[]> {
  return query<RejectionRow>(
    sql,
    `select id, at, type, problems, raw from rejections where source_id = :sourceId and (cast(:before as bigint) is null
      or id < cast(:before as bigint)) order by id desc limit :limit`,
    { sourceId, limit, before },
  );
}

export interface ArrivedRow {
  id: string;
  person_id: string;
  type: string;
  time: Date;
  received_at: Date;
  event_id: string;
  properties: Record<string, unknown>;
  email: string | null;
  external_id: string | null;
  name: string | null;
  entered: string | null;
}

/** The last events of a source, newest first: whose they are, what was in them, and which flows they started. */
export async function arrived(sql: Sql, sourceId: number, limit: number): Promise<ArrivedRow[]> {
  return query<ArrivedRow>(
    sql,
    `with last as (select * from events where source_id = :sourceId order by id desc limit :limit)
     select l.id, l.person_id, l.type, l.time, l.received_at, l.event_id, l.properties, p.email, p.external_id,
       nullif(trim(coalesce(p.attributes->>'firstName', '') || ' ' || coalesce(p.attributes->>'lastName', '')), '') as name,
       (select string_agg(distinct f.name, ', ') from runs r join flows f on f.id = r.flow_id where r.person_id = l.person_id
         and (r.about_event = l.id or (r.phase = 'armed' and r.armed_at = l.time))) as entered
     from last l left join people p on p.id = l.person_id order by l.id desc`,
    { sourceId, limit },
  );
}

/** What a source brought in each minute of [from, to]. */
export async function minutesOf(
  sql: Sql,
  sourceId: number,
  from: Instant,
  to: Instant,
): Promise<{ minute: Date; accepted: number; duplicates: number; rejected: number }[]> {
  return query(
    sql,
    'select minute, accepted, duplicates, rejected from source_minutes where source_id = :sourceId and minute >= :from and minute <= :to order by minute',
    { sourceId, from: new Date(from), to: new Date(to) },
  );
}

export async function saveBody(
  sql: Sql,
  sourceId: number,
  at: Instant,
  body: { webhookId: string; raw: string; outcome: object },
): Promise<void> {
  await query(
    sql,
    `insert into webhook_bodies (source_id, at, webhook_id, raw, outcome) values (:sourceId, :at, :webhookId, :raw, :outcome)`,
    { sourceId, at: new Date(at), webhookId: body.webhookId, raw: body.raw, outcome: JSON.stringify(body.outcome) },
  );
  await query(
    sql,
    `delete from webhook_bodies where source_id = :sourceId and id <= (select id from webhook_bodies where source_id = :sourceId
      order by id desc offset 50 limit 1)`,
    { sourceId },
  );
}

export interface BodyRow {
  id: string;
  at: Date;
  webhook_id: string;
  raw: string;
  outcome: { accepted: number; duplicates: number; problems: { field: string; wrong: string; right: string }[] };
}

export async function listBodies(sql: Sql, sourceId: number, limit: number): Promise<BodyRow[]> {
  return query<BodyRow>(
    sql,
    'select id, at, webhook_id, raw, outcome from webhook_bodies where source_id = :sourceId order by id desc limit :limit',
    { sourceId, limit },
  );
}

export interface MappingRow {
  version: number;
  document: Mapping;
  saved_at: Date;
  saved_by: string;
}

export async function listMappings(sql: Sql, sourceId: number): Promise<MappingRow[]> {
  return query<MappingRow>(
    sql,
    'select version, document, saved_at, saved_by from mappings where source_id = :sourceId order by version desc',
    { sourceId },
  );
}

export async function latestMapping(sql: Sql, sourceId: number): Promise<MappingRow | null> {
  return (
    (
      await query<MappingRow>(
        sql,
        'select version, document, saved_at, saved_by from mappings where source_id = :sourceId order by version desc limit 1',
        { sourceId },
      )
    )[0] ?? null
  );
}

export async function saveMapping(sql: Sql, sourceId: number, document: Mapping, by: string, at: Instant): Promise<number> {
  const row = await queryOne<{ version: number }>(
    sql,
    `insert into mappings (source_id, version, document, saved_at, saved_by)
     select :sourceId, coalesce(max(version), 0) + 1, :document, :at, :by from mappings where source_id = :sourceId returning version`,
    { sourceId, document: JSON.stringify(document), at: new Date(at), by },
  );
  return row!.version;
}

/**
 * Forgets what was kept as it came, more than 30 days ago: bodies, what was refused, bad rows of files; what arrived by
 * minute, too; and files that nobody imported within a week. Whoever is erased may stand in any of it, and a request to
 * erase has to be met within a month (Regulation (EU) 2016/679, article 12(3)).
 */
export async function forgetOld(sql: Sql, now: Instant, bodiesDays = 30): Promise<void> {
  const before = (days: number) => ({ before: new Date(now - days * DAY) });
  await query(sql, 'delete from rejections where at < :before', before(bodiesDays));
  await query(sql, 'delete from webhook_bodies where at < :before', before(bodiesDays));
  await query(sql, 'delete from bad_rows b using works w where w.id = b.work_id and w.created_at < :before', before(bodiesDays));
  await query(sql, 'delete from source_minutes where minute < :before', before(30));
  await query(sql, 'delete from uploads where at < :before', before(7));
}
