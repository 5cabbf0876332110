import type { Instant } from '@/core/time';
import { query, type Sql } from '../db';

/** How many messages went out on a local day, and how many of them were opened or clicked since. */
export interface SendDayRow {
  readonly day: string;
  readonly sent: number;
  readonly people: number;
  readonly opened: number;
  readonly clicked: number;
}

/** What went out by local day since a moment; days on which nothing did are left out. */
export const sendDays = (sql: Sql, of: { since: Instant; until: Instant; zone: string }): Promise<SendDayRow[]> =>
  query<SendDayRow>(
    sql,
    `select to_char(sent_at at time zone :zone, 'YYYY-MM-DD') as day, count(*)::int as sent, count(distinct person_id)::int as people,
       count(opened_at)::int as opened, count(clicked_at)::int as clicked
     from sends where sent_at >= :since and sent_at <= :until group by 1 order by 1`,
    { ...of, since: new Date(of.since), until: new Date(of.until) },
  );
