import knex, { type Knex } from 'knex';
import { runMigrations } from 'graphile-worker';
import { tracedStatement } from './trace';
import * as start from './migrations/001_start';
import * as peopleAndData from './migrations/002_people_and_data';
import * as nearAtHand from './migrations/003_near_at_hand';
import * as doors from './migrations/004_doors';
import * as ground from './migrations/005_ground';
import * as answers from './migrations/006_answers';
import * as segments from './migrations/007_segments';
import * as language from './migrations/008_language';
import * as said from './migrations/009_said';
import * as limits from './migrations/010_limits';
import * as occasions from './migrations/011_occasions';
import * as moved from './migrations/012_moved';
import * as heard from './migrations/013_heard';
import * as asked from './migrations/014_asked';
import * as offers from './migrations/015_offers';
import * as products from './migrations/016_products';
import * as texts from './migrations/017_texts';
import * as clocks from './migrations/018_clocks';
import * as dropped from './migrations/019_dropped';
import * as forms from './migrations/020_forms_and_hours';
import * as tables from './migrations/021_tables_and_notes';
import * as verdicts from './migrations/022_verdicts';
import * as starters from './migrations/023_own_starters';
import * as presences from './migrations/024_presences';
import * as letters from './migrations/025_letters';
import * as further from './migrations/026_further';
import * as ledger from './migrations/027_ledger';
import * as carts from './migrations/028_carts';
import * as predictions from './migrations/029_predictions';
import * as predicted from './migrations/030_predicted';
import * as reports from './migrations/031_reports';
import * as rollups from './migrations/032_rollups';
import * as team from './migrations/033_team';
import * as broadcasts from './migrations/034_broadcasts';
import * as comments from './migrations/035_comments';
import * as logChanges from './migrations/036_log_changes';
import * as cards from './migrations/037_cards';
import * as languages from './migrations/038_languages';
import * as passkeys from './migrations/039_passkeys';
import * as visits from './migrations/040_visits';
import * as successors from './migrations/041_successors';
import * as orderOwners from './migrations/042_order_owners';

export type Db = Knex;
/** A connection or a transaction: whatever can run a statement. */
export type Sql = Knex | Knex.Transaction;

/** Tells databases apart in memory that is kept between statements: the address of the one that a statement runs on. */
export const databaseOf = (sql: Sql): string =>
  (sql.client as { config: { connection: { connectionString: string } } }).config.connection.connectionString;

/**
 * Opens a pool of connections. Without `prepares` no statement is kept prepared under a name on a connection: behind a pooler that gives
 * each transaction another one, the next would not find it.
 */
export function connect(url: string, size = 10, { prepares = true }: { prepares?: boolean } = {}): Db {
  const config: Knex.Config & { userParams: { prepares: boolean } } = {
    client: 'pg',
    userParams: { prepares },
    connection: { connectionString: url, application_name: 'viatic' },
    pool: { min: 0, max: size },
    acquireConnectionTimeout: 20_000,
  };
  return knex(config);
}

const migrations: Record<string, Knex.Migration> = {
  '001_start': start,
  '002_people_and_data': peopleAndData,
  '003_near_at_hand': nearAtHand,
  '004_doors': doors,
  '005_ground': ground,
  '006_answers': answers,
  '007_segments': segments,
  '008_language': language,
  '009_said': said,
  '010_limits': limits,
  '011_occasions': occasions,
  '012_moved': moved,
  '013_heard': heard,
  '014_asked': asked,
  '015_offers': offers,
  '016_products': products,
  '017_texts': texts,
  '018_clocks': clocks,
  '019_dropped': dropped,
  '020_forms_and_hours': forms,
  '021_tables_and_notes': tables,
  '022_verdicts': verdicts,
  '023_own_starters': starters,
  '024_presences': presences,
  '025_letters': letters,
  '026_further': further,
  '027_ledger': ledger,
  '028_carts': carts,
  '029_predictions': predictions,
  '030_predicted': predicted,
  '031_reports': reports,
  '032_rollups': rollups,
  '033_team': team,
  '034_broadcasts': broadcasts,
  '035_comments': comments,
  '036_log_changes': logChanges,
  '037_cards': cards,
  '038_languages': languages,
  '039_passkeys': passkeys,
  '040_visits': visits,
  '041_successors': successors,
  '042_order_owners': orderOwners,
};

/** Brings the database to the newest shape. Numbered migrations only go forward; takes Knex's migration lock. */
export async function migrate(db: Db, url: string): Promise<void> {
  await db.migrate.latest({
    migrationSource: {
      getMigrations: async () => Object.keys(migrations),
      getMigrationName: (name: string) => name,
      getMigration: async (name: string) => migrations[name]!,
    },
  });
  await runMigrations({ connectionString: url });
}

/** Runs one statement with named bindings and answers with its rows. */
export async function query<Row>(sql: Sql, statement: string, bindings: Record<string, unknown> = {}): Promise<Row[]> {
  const result = await tracedStatement(statement, async () => (await sql.raw(statement, bindings as Knex.ValueDict)) as { rows: Row[] });
  return result.rows;
}

/**
 * The same for a statement that is asked for a hundred times a second: PostgreSQL reads and plans it once a connection,
 * under this name. The text behind a name never changes.
 */
export async function queryPrepared<Row>(sql: Sql, name: string, statement: string, bindings: Record<string, unknown>): Promise<Row[]> {
  const { userParams } = (sql.client as { config: { userParams?: { prepares?: boolean } } }).config;
  if (userParams?.prepares === false) return query<Row>(sql, statement, bindings);
  const result = await tracedStatement(
    statement,
    async () => (await sql.raw(statement, bindings as Knex.ValueDict).options({ name })) as { rows: Row[] },
  );
  return result.rows;
}

/** Like {@link query}, for a statement that gives exactly one row or none. */
export async function queryOne<Row>(sql: Sql, statement: string, bindings: Record<string, unknown> = {}): Promise<Row | null> {
  return (await query<Row>(sql, statement, bindings))[0] ?? null;
}

/** PostgreSQL's codes for work that another transaction got in the way of, and that may be tried again. */
const TRY_AGAIN = new Set(['40001', '40P01', '23505', '55P03']);

/** Whether an error says that another transaction got in the way. */
export const isInTheWay = (error: unknown): boolean => TRY_AGAIN.has((error as { code?: string }).code ?? '');

/** PostgreSQL's classes of errors that are about the server and not about what was asked of it: connection, resources, shutdown. */
const OUTAGES = /^(08|53|57|58)/;

/** Whether an error says that the database cannot be reached or cannot work at the moment. */
export function isOutage(error: unknown): boolean {
  const { code, name, message } = error as { code?: string; name?: string; message?: string };
  return (
    OUTAGES.test(code ?? '') ||
    /^(E(CONN|PIPE|TIMEDOUT|HOST|NETUNREACH)|ENOTFOUND)/.test(code ?? '') ||
    name === 'KnexTimeoutError' ||
    name === 'TimeoutError' ||
    /^(Connection (terminated|ended)|Client (has encountered|was closed)|timeout expired|Unable to acquire a connection|aborted$|Cannot use a pool|Client network socket|Transaction query already complete)/i.test(
      message ?? '',
    ) ||
    /Connection terminated|the database system is|terminating connection|server closed the connection|timeout exceeded when trying to connect/i.test(
      message ?? '',
    )
  );
}

/** Whether an error says that a value is not of a form or size that a column or a parameter can hold. */
export const isUnfit = (error: unknown): boolean => /^22/.test((error as { code?: string }).code ?? '');

/** The constraint by which something was there already, or null when the error says something else. */
export function constraintOf(error: unknown): string | null {
  const { code, constraint } = error as { code?: string; constraint?: string };
  return code === '23505' ? (constraint ?? 'unique') : null;
}

/** Runs work in a transaction, and once more from the start when another transaction got in its way. */
export async function inTransaction<T>(db: Db, work: (trx: Knex.Transaction) => Promise<T>, attempts = 5): Promise<T> {
  for (let attempt = 1; ; attempt++) {
    try {
      return await db.transaction(work);
    } catch (error) {
      if (attempt >= attempts || !isInTheWay(error)) throw error;
      await new Promise((resolve) => setTimeout(resolve, 10 * attempt * (1 + Math.random())));
    }
  }
}

/**
 * Does work that nobody else may do at the same time, in however many transactions. Answers false without doing it when
 * somebody is at it. The name is held by a connection: with the process that holds it, it falls free.
 */
export function whileHeld(db: Db, name: string, work: () => Promise<void>): Promise<boolean> {
  return db.transaction(async (trx) => {
    const [row] = await query<{ held: boolean }>(trx, 'select pg_try_advisory_xact_lock(hashtextextended(:name, 0)) as held', { name });
    if (row!.held) await work();
    return row!.held;
  });
}
