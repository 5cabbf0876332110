import type { Instant } from '@/core/time';
import type { Message } from '@/core/messages';
import type { Facts, Value } from '@/core/rules';
import { query, queryOne, type Sql } from './db';
import { reachOf, REACH_COLUMNS } from './facts';

export interface LetterRow { id: string; person_id: string | null; address: string; purpose: 'confirm' | 'by-hand'; kind: 'marketing' | 'service'; message: Message; attributes: Record<string, Value>; reach: Facts['reach'] | null; declined: string[] }

/** Writes a mail to one person that no flow sends. Answers with its number. */
export async function createLetter(sql: Sql, letter: { personId: string | null; address: string; purpose: 'confirm' | 'by-hand'; kind: 'marketing' | 'service'; message: Message; by: string | null; at: Instant }): Promise<string> {
  return (await queryOne<{ id: string }>(
    sql,
    `insert into letters (person_id, address, purpose, kind, message, by, queued_at) values (:personId, :address, :purpose, :kind, :message, :by, :at) returning id`,
    { ...letter, message: JSON.stringify(letter.message), at: new Date(letter.at) },
  ))!.id;
}

/** Reads a letter that waits, with what stands between us and its person, and holds it. */
export async function holdLetter(sql: Sql, id: string): Promise<LetterRow | null> {
  const row = await queryOne<Omit<LetterRow, 'reach'> & Parameters<typeof reachOf>[0] & { has_person: boolean }>(
    sql,
    `select l.id, l.person_id, l.address, l.purpose, l.kind, l.message, coalesce(p.attributes, '{}') as attributes, p.id is not null as has_person, ${REACH_COLUMNS},
       array(select d.topic from declined_topics d where d.person_id = l.person_id) as declined
     from letters l left join people p on p.id = l.person_id where l.id = :id and l.state = 'queued' for update of l skip locked`,
    { id },
  );
  return row && { ...row, reach: row.has_person ? reachOf(row) : null };
}

export async function settleLetter(sql: Sql, id: string, state: 'sent' | 'failed' | 'skipped', at: Instant, reason: string | null): Promise<void> {
  await query(sql, `update letters set state = :state, reason = :reason, sent_at = case when :state = 'sent' then cast(:at as timestamptz) end where id = :id`, { id, state, reason, at: new Date(at) });
}

/** Notes what the mail provider reports of a letter that has gone out. Answers whose it was and where it went, or null when there is none. */
export async function noteLetter(sql: Sql, id: string, state: 'delivered' | 'bounced' | null): Promise<{ person_id: string | null; address: string } | null> {
  return queryOne(sql, `update letters set state = case when state in ('sent', 'delivered') then coalesce(:state, state) else state end where id = :id returning person_id, address`, { id, state });
}
