import type { Value } from '@/core/rules';
import type { Instant } from '@/core/time';
import { query, queryOne, type Sql } from '../db';

export interface SampleRow {
  readonly id: string;
  readonly external_id: string | null;
  readonly attributes: { readonly [name: string]: Value };
  readonly about: { readonly [name: string]: Value } | null;
}

/** The people who last did something, with what they did; without a type, whoever did anything at all. */
export const lastWho = (sql: Sql, type: string | null, since: Instant, limit: number): Promise<SampleRow[]> =>
  query<SampleRow>(
    sql,
    `select p.id, p.external_id, p.attributes, l.properties as about from (
       select distinct on (e.person_id) e.person_id, e.time, e.properties from (
         select person_id, time, properties from events where time >= :since and (cast(:type as text) is null or type = :type)
         order by time desc limit 2000) e
       order by e.person_id, e.time desc) l join people p on p.id = l.person_id order by l.time desc limit :limit`,
    { type, since: new Date(since), limit },
  );

/** The last event of a type that somebody did, or null. */
export async function lastOf(sql: Sql, personId: string, type: string): Promise<{ readonly [name: string]: Value } | null> {
  const row = await queryOne<{ properties: { [name: string]: Value } }>(
    sql,
    'select properties from events where person_id = :personId and type = :type order by time desc limit 1',
    { personId, type },
  );
  return row?.properties ?? null;
}
