import { FLOW_HANDED, type World } from '@/core/rules';
import type { Limits, LimitsDocument } from '@/core/limits';
import type { Offers } from '@/core/offers';
import { usualRevenue, type RevenueSettings } from '@/core/revenue';
import type { Tables } from '@/core/tables';
import type { Instant } from '@/core/time';
import { query, queryOne, type Sql } from '../db';
import { tablesOf } from '../tables';
import { limitsAt } from './limits';
import { offersOf, worldOf } from './world';

export interface Store {
  readonly name: string;
  readonly address: string;
  readonly fromEmail: string;
  readonly currency: string;
  readonly zone: string;
  /** in which it writes, the usual one first */
  readonly languages: readonly string[];
}

interface StoreRow {
  name: string;
  address: string;
  from_email: string;
  currency: string;
  zone: string;
  languages: string[];
  clock_offset_ms: string;
  world: string;
  limits: LimitsDocument | null;
  revenue: RevenueSettings | null;
}

/** The store as it is at this moment, with what rules look up. */
export type StoreNow = Store & {
  readonly now: Instant;
  readonly offsetMs: number;
  readonly world: World;
  readonly limits: Limits | null;
  readonly revenue: RevenueSettings;
  readonly offers: Offers;
  readonly tables: Tables;
};

const LIMITS = `(select value from settings where name = 'limits') as limits, (select value from settings where name = 'revenue') as revenue`;

/** The store's settings and its present time (the machine's plus what the demo has moved it by). */
export async function readStore(sql: Sql): Promise<StoreNow> {
  return storeOf(sql, await queryOne<StoreRow>(sql, `select store.*, ${LIMITS} from store`));
}

/** A flow that has been published: what starts it, for ingest to look at with each event. */
export interface PublishedFlow {
  readonly id: number;
  readonly key: string;
  readonly version: number;
  readonly triggerEvents: readonly string[];
}

/** The same with the flows that have been published, in one round trip. */
export async function readStoreAndFlows(sql: Sql): Promise<StoreNow & { flows: readonly PublishedFlow[] }> {
  const row = await queryOne<StoreRow & { flows: PublishedFlow[] }>(
    sql,
    `select store.*, ${LIMITS}, coalesce((select json_agg(json_build_object('id', id, 'key', key, 'version', version,
      'triggerEvents', trigger_events || '${FLOW_HANDED}'::text)) from flows
      where version is not null and state in ('on', 'paused')), '[]') as flows from store`,
  );
  return { ...(await storeOf(sql, row)), flows: row!.flows };
}

async function storeOf(sql: Sql, row: StoreRow | null): Promise<StoreNow> {
  if (!row) throw new Error('the store has not been set up: run the set-up script');
  const offsetMs = Number(row.clock_offset_ms);
  const world = await worldOf(sql, row.world, row.currency);
  return {
    name: row.name,
    address: row.address,
    fromEmail: row.from_email,
    currency: row.currency,
    zone: row.zone,
    languages: row.languages,
    offsetMs,
    now: Date.now() + offsetMs,
    world,
    offers: await offersOf(sql, row.world),
    tables: await tablesOf(sql, row.world),
    limits: limitsAt(row.limits, Date.now() + offsetMs),
    revenue: row.revenue ?? usualRevenue(),
  };
}

/** Writes the store's settings, once. */
export async function createStore(sql: Sql, { languages = ['en'], ...store }: Omit<Store, 'languages'> & Partial<Store>): Promise<void> {
  await query(
    sql,
    `insert into store (name, address, from_email, currency, zone, languages)
     values (:name, :address, :fromEmail, :currency, :zone, cast(:languages as text[]))`,
    { ...store, languages },
  );
}

/** Changes what the store says of itself. */
export const saveStore = (sql: Sql, of: Pick<Store, 'name' | 'address' | 'fromEmail' | 'languages'>): Promise<unknown> =>
  query(sql, 'update store set name = :name, address = :address, from_email = :fromEmail, languages = cast(:languages as text[])', {
    ...of,
  });

/** Moves store time forward so that it is at least `now`. It never goes back. */
export async function moveClockTo(sql: Sql, now: Instant): Promise<void> {
  await query(sql, 'update store set clock_offset_ms = greatest(clock_offset_ms, :offset)', { offset: Math.round(now - Date.now()) });
}

/** Takes the right to move the clock for this transaction; false when somebody else has it. */
export async function holdClock(sql: Sql): Promise<boolean> {
  return (await queryOne<{ ok: boolean }>(sql, 'select pg_try_advisory_xact_lock(744501) as ok'))!.ok;
}

/** Writes down who did what. */
export async function recordAct(sql: Sql, at: Instant, actor: string, what: string, detail: object = {}): Promise<void> {
  await query(sql, 'insert into acts (at, actor, what, detail) values (:at, :actor, :what, :detail)', {
    at: new Date(at),
    actor,
    what,
    detail: JSON.stringify(detail),
  });
}
