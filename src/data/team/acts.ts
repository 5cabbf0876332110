import type { ActChange } from '@/core/team';
import type { Instant } from '@/core/time';
import { query, type Sql } from '../db';

export interface ActRow {
  readonly id: string;
  readonly at: Date;
  readonly actor: string;
  readonly what: string;
  readonly detail: { readonly [name: string]: unknown };
  readonly changes: readonly ActChange[];
}

/** What was done, newest first: by somebody, of a kind (`flow` or `flow.published`), in a period, with some words in it. */
export const listActs = (
  sql: Sql,
  of: {
    from: Instant | null;
    to: Instant | null;
    actor: string | null;
    what: string | null;
    words: string | null;
    before: string | null;
    limit: number;
  },
): Promise<ActRow[]> =>
  query<ActRow>(
    sql,
    `select id::text as id, at, actor, what, detail, changes from acts
     where (cast(:from as timestamptz) is null or at >= :from) and (cast(:to as timestamptz) is null or at <= :to)
       and (cast(:actor as text) is null or actor = :actor)
       and (cast(:what as text) is null or what = :what or split_part(what, '.', 1) = :what)
       and (cast(:words as text) is null or detail::text ilike '%' || :words || '%' or changes::text ilike '%' || :words || '%')
       and (cast(:before as bigint) is null or id < cast(:before as bigint))
     order by acts.id desc limit :limit`,
    { ...of, from: of.from === null ? null : new Date(of.from), to: of.to === null ? null : new Date(of.to) },
  );

/** Who has done anything, and what kinds of acts there are. */
export async function actChoices(sql: Sql): Promise<{ actors: string[]; kinds: string[] }> {
  const rows = await query<{ actor: string; kind: string }>(
    sql,
    `select distinct actor, split_part(what, '.', 1) as kind from (select actor, what from acts order by id desc limit 20000) a`,
  );
  const all = (of: 'actor' | 'kind') => [...new Set(rows.map((row) => row[of]))].sort();
  return { actors: all('actor'), kinds: all('kind') };
}
