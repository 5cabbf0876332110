import type { Role } from '@/core/access';
import { query, queryOne, type Sql } from '../db';

export interface UserRow {
  id: string;
  email: string;
  name: string;
  password_hash: string;
}

export async function findUser(sql: Sql, email: string): Promise<UserRow | null> {
  return queryOne<UserRow>(sql, 'select id, email, name, password_hash from users where email = lower(:email)', { email });
}

export async function createUser(sql: Sql, user: { email: string; name: string; passwordHash: string; role?: Role }): Promise<void> {
  await query(
    sql,
    'insert into users (email, name, password_hash, role, joined_at) values (lower(:email), :name, :passwordHash, :role, now())',
    { role: 'owner', ...user },
  );
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
  await query(sql, 'insert into settings (name, value) values (:name, :value) on conflict (name) do update set value = excluded.value', {
    name,
    value: JSON.stringify(value),
  });
}

export interface SessionRow {
  digest: string;
  startedAt: string;
  seenAt: string;
  address: string;
  agent: string;
}

export async function startSession(
  sql: Sql,
  session: { digest: string; userId: string; lastsMs: number; address: string; agent: string },
): Promise<void> {
  await query(
    sql,
    `insert into sessions (digest, user_id, ends_at, address, agent) values (:digest, :userId, now() + :lastsMs * interval '1 millisecond', :address, :agent)`,
    session,
  );
}

/** How everybody signs in: after how many hours again, and whether a second factor or a passkey is asked of them. */
export interface SigningIn {
  readonly hours: number;
  readonly second: boolean;
}
/** Under which name of the settings that stands. */
const SIGNING_IN = 'signing-in';
/** The longest that a session lasts, and how long where nothing else is said. */
export const LONGEST_SESSION_HOURS = 14 * 24;

export const readSigningIn = async (sql: Sql): Promise<SigningIn> =>
  (await readSetting<SigningIn>(sql, SIGNING_IN)) ?? { hours: LONGEST_SESSION_HOURS, second: false };
export const writeSigningIn = (sql: Sql, value: SigningIn): Promise<void> => writeSetting(sql, SIGNING_IN, value);

// that of the settings holds for sessions that are open, too
const LASTING = `s.ends_at > now() and s.started_at > now() - coalesce((w.value ->> 'hours')::int, ${LONGEST_SESSION_HOURS}) * interval '1 hour'`;
const SETTING = `left join settings w on w.name = '${SIGNING_IN}'`;

interface FoundSession {
  readonly userId: string;
  readonly email: string;
  readonly name: string;
  readonly role: Role;
  readonly session: string;
  /** a second factor or a passkey is asked of everybody, and they have neither */
  readonly lacksSecond: boolean;
}

/** Whose session this is while it lasts, or null; notes its use at most every five minutes. */
export async function findSession(sql: Sql, digest: string): Promise<FoundSession | null> {
  const row = await queryOne<FoundSession & { isStale: boolean }>(
    sql,
    `select u.id as "userId", u.email, u.name, u.role, s.digest as session, s.seen_at < now() - interval '5 minutes' as "isStale",
       coalesce((w.value ->> 'second')::boolean, false) and u.totp_since is null
         and not exists (select 1 from passkeys k where k.user_id = u.id) as "lacksSecond"
     from sessions s join users u on u.id = s.user_id ${SETTING} where s.digest = :digest and ${LASTING}`,
    { digest },
  );
  if (!row) return null;
  const { isStale, ...session } = row;
  if (isStale) await query(sql, 'update sessions set seen_at = now() where digest = :digest', { digest });
  return session;
}

export async function endSession(sql: Sql, digest: string): Promise<void> {
  await query(sql, 'delete from sessions where digest = :digest', { digest });
}

/** Ends all sessions of a user but one; answers with how many. */
export async function endSessions(sql: Sql, userId: string, except: string | null): Promise<number> {
  return (
    await query(sql, 'delete from sessions where user_id = :userId and digest is distinct from :except returning 1', { userId, except })
  ).length;
}

export async function listSessions(sql: Sql, userId: string): Promise<SessionRow[]> {
  const rows = await query<Omit<SessionRow, 'startedAt' | 'seenAt'> & { started_at: Date; seen_at: Date }>(
    sql,
    `select s.digest, s.started_at, s.seen_at, s.address, s.agent from sessions s ${SETTING}
     where s.user_id = :userId and ${LASTING} order by s.seen_at desc limit 100`,
    { userId },
  );
  return rows.map(({ started_at, seen_at, ...row }) => ({ ...row, startedAt: started_at.toISOString(), seenAt: seen_at.toISOString() }));
}

/** Forgets sessions that are over. */
export async function forgetSessions(sql: Sql): Promise<void> {
  await query(sql, 'delete from sessions where ends_at < now()');
}

export async function setPassword(sql: Sql, userId: string, passwordHash: string): Promise<void> {
  await query(sql, 'update users set password_hash = :passwordHash where id = :userId', { userId, passwordHash });
}
