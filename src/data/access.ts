import { query, queryOne, type Sql } from './db';

export interface UserRow { id: string; email: string; name: string; password_hash: string }

export async function findUser(sql: Sql, email: string): Promise<UserRow | null> {
  return queryOne<UserRow>(sql, 'select id, email, name, password_hash from users where email = lower(:email)', { email });
}

export async function createUser(sql: Sql, user: { email: string; name: string; passwordHash: string }): Promise<void> {
  await query(sql, 'insert into users (email, name, password_hash) values (lower(:email), :name, :passwordHash)', user);
}

export async function createKey(sql: Sql, key: { name: string; hash: string; hint: string }): Promise<void> {
  await query(sql, 'insert into api_keys (name, hash, hint) values (:name, :hash, :hint)', key);
}

/** The name of a key that is valid, or null; notes its use at most once a minute. */
export async function nameOfKey(sql: Sql, hash: string): Promise<string | null> {
  const row = await queryOne<{ name: string; id: string; is_stale: boolean }>(
    sql,
    `select id, name, last_used_at is null or last_used_at < now() - interval '1 minute' as is_stale from api_keys where hash = :hash and revoked_at is null`,
    { hash },
  );
  if (row?.is_stale) await query(sql, 'update api_keys set last_used_at = now() where id = :id', { id: row.id });
  return row?.name ?? null;
}
