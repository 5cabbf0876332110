import type { Instant } from '@/core/time';
import type { Channel } from '@/core/rules';
import { query, queryOne, rowsOf, type Sql } from '../db';

const ADDRESSES = rowsOf({ address: 'text' });

/** Puts an address on the list of those never written to; the first reason stays. */
export async function suppress(
  sql: Sql,
  channel: Channel,
  address: string,
  reason: string,
  at: Instant,
  more: { by?: string; note?: string } = {},
): Promise<void> {
  await suppressAll(sql, channel, [address], reason, at, more);
}

/** The same for many. Answers with those that were not on it before. */
export async function suppressAll(
  sql: Sql,
  channel: Channel,
  addresses: readonly string[],
  reason: string,
  at: Instant,
  more: { by?: string; note?: string } = {},
): Promise<string[]> {
  if (!addresses.length) return [];
  const rows = await query<{ address: string }>(
    sql,
    `insert into suppressions (channel, address, reason, at, by, note) select :channel, address, :reason, :at, :by, :note from ${ADDRESSES.sql} as r
     on conflict do nothing returning address`,
    {
      channel,
      reason,
      at: new Date(at),
      by: more.by ?? null,
      note: more.note ?? null,
      rows: ADDRESSES.of([...new Set(addresses)].map((address) => ({ address }))),
    },
  );
  return rows.map((row) => row.address);
}

/** Takes an address off the list; only for one of these reasons where some are given. Answers whether it was on it. */
export async function liftSuppression(
  sql: Sql,
  channel: Channel,
  address: string,
  reasons: readonly string[] | null = null,
): Promise<boolean> {
  const rows = await query(
    sql,
    `delete from suppressions where channel = :channel and address = :address and (cast(:reasons as text[]) is null
      or reason = any(cast(:reasons as text[]))) returning 1`,
    { channel, address, reasons },
  );
  return rows.length > 0;
}

/** Whether an address is one of those never written to. */
export async function isSuppressed(sql: Sql, channel: Channel, address: string): Promise<boolean> {
  return (await queryOne(sql, 'select 1 from suppressions where channel = :channel and address = :address', { channel, address })) !== null;
}

export interface SuppressionRow {
  channel: Channel;
  address: string;
  reason: string;
  at: Date;
  by: string | null;
  note: string | null;
  person_id: string | null;
}

/** Addresses never written to, newest first, that hold the words. */
export async function listSuppressions(
  sql: Sql,
  words: string | null,
  limit: number,
  offset: number,
): Promise<{ rows: SuppressionRow[]; total: number }> {
  const bindings = { words: words ? `%${words.toLowerCase().replace(/[\\%_]/g, '\\$&')}%` : null, limit, offset };
  const condition = `(cast(:words as text) is null or s.address like cast(:words as text) or s.reason like cast(:words as text))`;
  const rows = await query<SuppressionRow>(
    sql,
    `select s.*, i.person_id from suppressions s left join identifiers i on i.kind = case s.channel when 'email' then 'email' else 'phone' end
      and i.value = s.address
     where ${condition} order by s.at desc, s.address limit :limit offset :offset`,
    bindings,
  );
  const [count] = await query<{ count: number }>(sql, `select count(*)::int as count from suppressions s where ${condition}`, bindings);
  return { rows, total: count!.count };
}

/** How often in a row an address has bounced softly: since the last delivery to its person. */
export async function softBounces(sql: Sql, personId: string): Promise<number> {
  const [row] = await query<{ count: number }>(
    sql,
    `select count(*)::int as count from events e where e.person_id = :personId and e.type = 'message.bounced' and e.properties->>'class' = 'soft'
       and e.time > coalesce((select max(d.time) from events d where d.person_id = :personId and d.type = 'message.delivered'), '-infinity')`,
    { personId },
  );
  return row!.count;
}
