import { connect, type Db } from '@/data/db';
import { env } from './env';

// one pool for the process: a development server reloads modules, the pool stays
const kept = globalThis as { viaticDb?: Db; viaticReports?: Db };

/** The process's pool of connections. */
export function database(): Db {
  kept.viaticDb ??= connect(env().databaseUrl, 10, { prepares: !env().isPooled });
  return kept.viaticDb;
}

/** Where reports are read: from a copy that follows the database, where there is one. It may be some moments behind, and takes nothing. */
export function reportsDatabase(): Db {
  const { databaseUrl, reportsDatabaseUrl } = env();
  if (reportsDatabaseUrl === databaseUrl) return database();
  kept.viaticReports ??= connect(reportsDatabaseUrl, 10);
  return kept.viaticReports;
}
