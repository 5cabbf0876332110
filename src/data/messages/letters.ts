import type { Instant } from '@/core/time';
import type { Message } from '@/core/messages';
import type { Facts, Value } from '@/core/rules';
import { query, queryOne, type Sql } from '../db';
import { REACH_COLUMNS, reachOf } from '../rules';
import { isHeldSql } from './sends';

/** What a letter that is sent to try it out is filled in with: somebody on file, or attributes of somebody made up, and what goes with it. */
export interface LetterFilling {
  readonly person: string | null;
  readonly attributes?: { readonly [name: string]: Value };
  readonly offer?: { readonly code: string; readonly expires: string; readonly terms: string };
  readonly answers: { readonly [step: string]: { readonly [name: string]: Value } };
  readonly holds: readonly string[];
}

export interface LetterRow {
  id: string;
  person_id: string | null;
  address: string;
  purpose: 'confirm' | 'by-hand' | 'note' | 'test';
  kind: 'marketing' | 'service';
  message: Message;
  attributes: Record<string, Value>;
  reach: Facts['reach'] | null;
  declined: string[];
  /** what its placeholders of the event say */
  about: Record<string, Value>;
  filled: LetterFilling | null;
}

/** Writes a mail to one person that no flow sends. Answers with its number. */
export async function createLetter(
  sql: Sql,
  letter: {
    personId: string | null;
    address: string;
    purpose: 'confirm' | 'by-hand' | 'note' | 'test';
    kind: 'marketing' | 'service';
    message: Message;
    by: string | null;
    at: Instant;
    about?: { readonly [name: string]: Value };
    filled?: LetterFilling;
  },
): Promise<string> {
  return (await queryOne<{ id: string }>(
    sql,
    `insert into letters (person_id, address, purpose, kind, message, by, queued_at, about, filled)
      values (:personId, :address, :purpose, :kind, :message, :by, :at, :about, :filled)
      returning id`,
    {
      ...letter,
      message: JSON.stringify(letter.message),
      at: new Date(letter.at),
      about: JSON.stringify(letter.about ?? {}),
      filled: letter.filled ? JSON.stringify(letter.filled) : null,
    },
  ))!.id;
}

/** Takes a letter that waits in hand for a worker, with what stands between us and its person; see {@link takeSend}. */
export async function takeLetter(sql: Sql, id: string, holder: number): Promise<LetterRow | null> {
  const row = await queryOne<Omit<LetterRow, 'reach'> & Parameters<typeof reachOf>[0] & { has_person: boolean }>(
    sql,
    `with l as (
       update letters l set held_by = :holder where l.id = :id and l.state = 'queued' and (l.held_by is null or l.held_by = :holder
         or not ${isHeldSql('l.held_by')}) returning l.*
     )
     select l.id, l.person_id, l.address, l.purpose, l.kind, l.message, l.about, l.filled, coalesce(p.attributes, l.filled -> 'attributes', '{}') as attributes, p.id is not null as has_person,
       ${REACH_COLUMNS},
       array(select d.topic from declined_topics d where d.person_id = l.person_id) as declined
     from l left join people p on p.id = coalesce(l.person_id, (l.filled ->> 'person')::bigint)`,
    { id, holder },
  );
  return row && { ...row, reach: row.has_person ? reachOf(row) : null };
}

export async function leaveLetter(sql: Sql, id: string): Promise<void> {
  await query(sql, 'update letters set held_by = null where id = :id', { id });
}

export async function settleLetter(
  sql: Sql,
  id: string,
  state: 'sent' | 'failed' | 'skipped',
  at: Instant,
  reason: string | null,
): Promise<void> {
  await query(
    sql,
    `update letters set held_by = null, filled = null, state = case when state <> 'queued' then state else :state end, reason = :reason, sent_at = case
      when :state = 'sent' then cast(:at as timestamptz) end where id = :id`,
    { id, state, reason, at: new Date(at) },
  );
}

/** Notes what the mail provider reports of a letter that has gone out. Answers whose it was and where it went, or null when there is none. */
export async function noteLetter(
  sql: Sql,
  id: string,
  state: 'delivered' | 'bounced' | null,
): Promise<{ person_id: string | null; address: string } | null> {
  return queryOne(
    sql,
    `update letters set state = case when state in ('queued', 'sent', 'delivered') then coalesce(:state, state) else state end where id = :id
      returning person_id, address`,
    { id, state },
  );
}
