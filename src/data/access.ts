import { query, queryOne, type Sql } from './db';

export interface UserRow { id: string; email: string; name: string; password_hash: string }

export async function findUser(sql: Sql, email: string): Promise<UserRow | null> {
  return queryOne<UserRow>(sql, 'select id, email, name, password_hash from users where email = lower(:email)', { email });
}

export async function createUser(sql: Sql, user: { email: string; name: string; passwordHash: string }): Promise<void> {
  await query(sql, 'insert into users (email, name, password_hash) values (lower(:email), :name, :passwordHash)', user);
}

/** A name for one more view of the people table. */
export async function saveView(sql: Sql, view: { name: string; query: string; by: string; at: Date }): Promise<void> {
  await query(sql, 'insert into views (name, query, by, at) values (:name, :query, :by, :at)', view);
}

export async function listViews(sql: Sql): Promise<{ id: number; name: string; query: string; by: string }[]> {
  return query(sql, 'select id, name, query, by from views order by lower(name), id');
}

export async function deleteView(sql: Sql, id: number): Promise<boolean> {
  return (await query(sql, 'delete from views where id = :id returning id', { id })).length > 0;
}

/** A setting of the store, or null when it was never set. */
export async function readSetting<T>(sql: Sql, name: string): Promise<T | null> {
  return (await queryOne<{ value: T }>(sql, 'select value from settings where name = :name', { name }))?.value ?? null;
}

export async function writeSetting(sql: Sql, name: string, value: unknown): Promise<void> {
  await query(sql, 'insert into settings (name, value) values (:name, :value) on conflict (name) do update set value = excluded.value', { name, value: JSON.stringify(value) });
}
