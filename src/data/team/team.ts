import type { Role } from '@/core/access';
import { query, queryOne, type Sql } from '../db';

export interface MemberRow {
  readonly id: string;
  readonly email: string;
  readonly name: string;
  readonly role: Role;
  readonly invited_by: string | null;
  readonly created_at: Date;
  readonly joined_at: Date | null;
  readonly totp_since: Date | null;
  readonly passkeys: number;
  readonly seen_at: Date | null;
}
const COLUMNS = `u.id::text as id, u.email, u.name, u.role, u.invited_by, u.created_at, u.joined_at, u.totp_since,
  (select count(*)::int from passkeys k where k.user_id = u.id) as passkeys,
  (select max(s.seen_at) from sessions s where s.user_id = u.id) as seen_at`;

export const listMembers = (sql: Sql): Promise<MemberRow[]> =>
  query<MemberRow>(sql, `select ${COLUMNS} from users u order by lower(u.name), u.id`);
export const findMember = (sql: Sql, id: string): Promise<MemberRow | null> =>
  queryOne<MemberRow>(sql, `select ${COLUMNS} from users u where u.id::text = :id`, { id });
export const memberByEmail = (sql: Sql, email: string): Promise<MemberRow | null> =>
  queryOne<MemberRow>(sql, `select ${COLUMNS} from users u where u.email = lower(:email)`, { email });

/** Locks all who work here, so that two changes at once cannot leave the store without an owner. */
export const lockTeam = (sql: Sql): Promise<unknown> => query(sql, 'select 1 from users order by id for update');

/** In place of a password's hash as long as somebody has not chosen one. */
export const NO_PASSWORD = 'none';

/** Puts somebody on the team who has not joined yet; null where the address is taken. */
export const inviteMember = (sql: Sql, of: { email: string; name: string; role: Role; by: string }): Promise<{ id: string } | null> =>
  queryOne<{ id: string }>(
    sql,
    `insert into users (email, name, role, invited_by, password_hash) values (lower(:email), :name, :role, :by, '${NO_PASSWORD}')
     on conflict (email) do nothing returning id::text as id`,
    of,
  );
export const setRole = (sql: Sql, id: string, role: Role): Promise<unknown> =>
  query(sql, 'update users set role = :role where id::text = :id', { id, role });
/** Takes somebody off the team: with their sessions, links and codes. */
export const dropMember = (sql: Sql, id: string): Promise<unknown> => query(sql, 'delete from users where id::text = :id', { id });

/** A link for somebody, in place of those of the same purpose that they had. */
export async function putLink(sql: Sql, of: { digest: string; userId: string; purpose: 'join' | 'reset'; lastsMs: number }): Promise<void> {
  await query(sql, 'delete from user_links where user_id = :userId and purpose = :purpose or ends_at < now()', {
    userId: of.userId,
    purpose: of.purpose,
  });
  await query(
    sql,
    `insert into user_links (digest, user_id, purpose, ends_at) values (:digest, :userId, :purpose, now() + :lastsMs * interval '1 millisecond')`,
    of,
  );
}
/** Whose link this is while it lasts, held for this transaction where it is to be used. */
export const findLink = (
  sql: Sql,
  digest: string,
  isUsed = false,
): Promise<{ user_id: string; purpose: 'join' | 'reset'; email: string; name: string } | null> =>
  queryOne(
    sql,
    `select l.user_id::text as user_id, l.purpose, u.email, u.name from user_links l join users u on u.id = l.user_id
     where l.digest = :digest and l.ends_at > now()${isUsed ? ' for update of l' : ''}`,
    { digest },
  );
/** A password by a link: all links and sessions of that person end. */
export async function settlePassword(sql: Sql, userId: string, passwordHash: string): Promise<void> {
  await query(sql, 'update users set password_hash = :passwordHash, joined_at = coalesce(joined_at, now()) where id::text = :userId', {
    userId,
    passwordHash,
  });
  for (const table of ['user_links', 'sessions']) await query(sql, `delete from ${table} where user_id::text = :userId`, { userId });
}

/** The second factor of somebody: its sealed secret, since when it is asked for, and the step of the last code. */
export const secondFactor = (
  sql: Sql,
  userId: string,
  isUsed = false,
): Promise<{ sealed: string | null; since: Date | null; step: string | null } | null> =>
  queryOne(
    sql,
    `select totp_sealed as sealed, totp_since as since, totp_step as step from users where id::text = :userId${isUsed ? ' for update' : ''}`,
    { userId },
  );
export const putSecret = (sql: Sql, userId: string, sealed: string | null): Promise<unknown> =>
  query(sql, 'update users set totp_sealed = :sealed, totp_since = null, totp_step = null where id::text = :userId', { userId, sealed });
export const beginSecondFactor = (sql: Sql, userId: string): Promise<unknown> =>
  query(sql, 'update users set totp_since = now() where id::text = :userId', { userId });
export const noteStep = (sql: Sql, userId: string, step: number): Promise<unknown> =>
  query(sql, 'update users set totp_step = :step where id::text = :userId', { userId, step });
/** Codes that each sign in once, in place of those that somebody had. */
export async function putRecoveryCodes(sql: Sql, userId: string, digests: readonly string[]): Promise<void> {
  await query(sql, 'delete from recovery_codes where user_id::text = :userId', { userId });
  await query(
    sql,
    'insert into recovery_codes (user_id, digest) select cast(:userId as bigint), d from unnest(cast(:digests as text[])) d',
    {
      userId,
      digests,
    },
  );
}
/** Uses a code up; false where it is none, or was used. */
export const useRecoveryCode = async (sql: Sql, userId: string, digest: string): Promise<boolean> =>
  (
    await query(
      sql,
      'update recovery_codes set used_at = now() where user_id::text = :userId and digest = :digest and used_at is null returning 1',
      { userId, digest },
    )
  ).length > 0;
export const recoveryCodesLeft = async (sql: Sql, userId: string): Promise<number> =>
  (await queryOne<{ left: number }>(
    sql,
    'select count(*)::int as left from recovery_codes where user_id::text = :userId and used_at is null',
    { userId },
  ))!.left;
