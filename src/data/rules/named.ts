import { COUNTRY_GROUPS } from '@/core/places';
import type { NamedKind, OnFile } from '@/core/rules';
import { query, type Sql } from '../db';

/** All that rules can name and that is on file: by kind and key, what it is called. */
export async function namedOnFile(sql: Sql): Promise<OnFile> {
  const rows = await query<{ kind: NamedKind; key: string; name: string }>(
    sql,
    `select 'list' as kind, key, name from lists where archived_at is null
     union all select 'segment', key, document ->> 'name' from segments where archived_at is null
     union all select 'flow', key, name from flows
     union all select 'topic', key, name from topics
     union all select 'offer', key, document ->> 'name' from offers where archived_at is null
     union all select 'table', key, name from lookup_tables where archived_at is null
     union all select 'country group', key, name from country_groups`,
  );
  const of = (kind: NamedKind) => rows.filter((row) => row.kind === kind).map(({ key, name }): [string, string] => [key, name]);
  return {
    list: new Map(of('list')),
    segment: new Map(of('segment')),
    flow: new Map(of('flow')),
    topic: new Map(of('topic')),
    offer: new Map(of('offer')),
    table: new Map(of('table')),
    'country group': new Map([
      ...Object.entries(COUNTRY_GROUPS).map(([key, { name }]): [string, string] => [key, name]),
      ...of('country group'),
    ]),
  };
}
