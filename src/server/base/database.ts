import { connect, type Db } from '@/data/db';
import { env } from './env';

// one pool for the process: a development server reloads modules, the pool stays
const kept = globalThis as { viaticDb?: Db };

/** The process's pool of connections. */
export function database(): Db {
  kept.viaticDb ??= connect(env().databaseUrl);
  return kept.viaticDb;
}
