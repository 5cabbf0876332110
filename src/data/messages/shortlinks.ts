import type { Instant } from '@/core/time';
import { query, queryOne, rowsOf, type Sql } from '../db';

const LINKS = rowsOf({ code: 'text', url: 'text' });

/** Keeps the short links of a send; the same again changes nothing. */
export async function keepShortLinks(
  sql: Sql,
  send: { readonly personId: string; readonly id: string },
  links: readonly { readonly code: string; readonly url: string }[],
  at: Instant,
): Promise<void> {
  if (!links.length) return;
  await query(
    sql,
    `insert into short_links (code, person_id, send_id, url, at) select code, :personId, :id, url, :at from ${LINKS.sql} as r on conflict do nothing`,
    { rows: LINKS.of(links), personId: send.personId, id: send.id, at: new Date(at) },
  );
}

/** Where a short link leads, and for which send it stands; null where there is none. */
export const shortLink = (sql: Sql, code: string): Promise<{ person_id: string; send_id: string; url: string } | null> =>
  queryOne(sql, 'select person_id, send_id, url from short_links where code = :code', { code });
