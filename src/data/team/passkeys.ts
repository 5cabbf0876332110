import { query, queryOne, type Sql } from '../db';

export interface PasskeyRow {
  readonly id: string;
  readonly user_id: string;
  readonly name: string;
  readonly public_key: Buffer;
  readonly counter: string;
  readonly transports: string[];
  readonly made_at: Date;
  readonly used_at: Date | null;
}
const COLUMNS = 'id, user_id::text as user_id, name, public_key, counter, transports, made_at, used_at';

/** The passkeys of somebody, the newest first. */
export const passkeysOf = (sql: Sql, userId: string): Promise<PasskeyRow[]> =>
  query<PasskeyRow>(sql, `select ${COLUMNS} from passkeys where user_id::text = :userId order by made_at desc, id`, { userId });

/** A passkey with whose it is, held for this transaction; null where there is none. */
export const lockPasskey = (sql: Sql, id: string): Promise<(PasskeyRow & { email: string; user_name: string }) | null> =>
  queryOne(
    sql,
    `select k.id, k.user_id::text as user_id, k.name, k.public_key, k.counter, k.transports, k.made_at, k.used_at, u.email, u.name as user_name
     from passkeys k join users u on u.id = k.user_id where k.id = :id for update of k`,
    { id },
  );

/** Puts a passkey on file; false where it is there already. */
export const putPasskey = async (
  sql: Sql,
  of: { id: string; userId: string; name: string; publicKey: Uint8Array; counter: number; transports: readonly string[] },
): Promise<boolean> =>
  (
    await query(
      sql,
      `insert into passkeys (id, user_id, name, public_key, counter, transports)
       values (:id, cast(:userId as bigint), :name, :publicKey, :counter, cast(:transports as text[])) on conflict do nothing returning 1`,
      { ...of, publicKey: Buffer.from(of.publicKey) },
    )
  ).length > 0;

/** Takes a passkey of somebody away; answers with what it was called, or null where they have none such. */
export const dropPasskey = (sql: Sql, userId: string, id: string): Promise<{ name: string } | null> =>
  queryOne(sql, 'delete from passkeys where user_id::text = :userId and id = :id returning name', { userId, id });

/** Notes that a passkey was used, and the count its device says. */
export const notePasskey = (sql: Sql, id: string, counter: number): Promise<unknown> =>
  query(sql, 'update passkeys set counter = :counter, used_at = now() where id = :id', { id, counter });

/** Notes what a device was asked; what nobody has answered in time is forgotten. */
export async function askPasskey(sql: Sql, of: { challenge: string; userId: string | null; lastsMs: number }): Promise<void> {
  await query(sql, 'delete from passkey_asks where ends_at < now()');
  await query(
    sql,
    `insert into passkey_asks (challenge, user_id, ends_at) values (:challenge, cast(:userId as bigint), now() + :lastsMs * interval '1 millisecond')`,
    of,
  );
}

/** Takes back what a device was asked, for it answers once; false where that was not asked of them, or too long ago. */
export const takeAsked = async (sql: Sql, challenge: string, userId: string | null): Promise<boolean> =>
  (
    await query(
      sql,
      `delete from passkey_asks where challenge = :challenge and user_id is not distinct from cast(:userId as bigint) and ends_at > now() returning 1`,
      { challenge, userId },
    )
  ).length > 0;
