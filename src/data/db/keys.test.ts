import { readFileSync } from 'node:fs';
import { globSync } from 'tinyglobby';
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest';
import { connect, query, type Db } from '.';

/** Tables that grow with what people do: each row is somebody's, so that they can be spread over machines by person. */
const HOT = [
  'events',
  'runs',
  'traces',
  'sends',
  'orders',
  'bookings',
  'credits',
  'consents',
  'person_tags',
  'list_members',
  'segment_members',
  'segment_looks',
];
/** Statements that are asked a hundred times a second and name nobody, with the reason. */
const WITHOUT: { readonly [name: string]: string } = {
  find_key: 'keys of the API are few, and stand on every machine',
  earlier_runs: 'its text is put together of parts that name the person',
  change_people: 'people themselves: their number is the person',
  claim_and_look: 'people themselves, found by what identifies them',
};

let db: Db;
beforeAll(() => {
  db = connect(inject('databaseUrl').replace(/\/[^/]*$/, '/template_viatic'), 1);
});
afterAll(() => db.destroy());

describe('distribution by person', () => {
  it('is possible: whatever is unique in a hot table is unique within a person', async () => {
    const rows = await query<{ table: string; index: string; columns: string[] }>(
      db,
      `select t.relname as table, i.relname as index, array_agg(a.attname::text order by k.n) as columns
       from pg_index x join pg_class t on t.oid = x.indrelid join pg_class i on i.oid = x.indexrelid
         cross join lateral unnest(x.indkey) with ordinality k (col, n) left join pg_attribute a on a.attrelid = t.oid and a.attnum = k.col
       where x.indisunique and t.relname = any(cast(:hot as text[])) group by 1, 2`,
      { hot: HOT },
    );
    expect(new Set(rows.map(({ table }) => table))).toEqual(new Set(HOT));
    expect(rows.filter(({ columns }) => !columns.includes('person_id'))).toEqual([]);
  });

  it('is possible: statements that are asked all the time name the person', () => {
    const found = new Map<string, boolean>();
    for (const file of globSync('src/data/**/*.ts', { ignore: '**/*.test.ts' }))
      for (const [, name, text] of readFileSync(file, 'utf8').matchAll(
        /queryPrepared(?:<[^(]*>)?\(\s*\w+,\s*'(\w+)',\s*`((?:[^`\\]|\\.)*)`/g,
      ))
        found.set(name!, text!.includes('person_id'));
    expect(found.size).toBeGreaterThan(8);
    expect([...found].filter(([name, names]) => !names && !(name in WITHOUT)).map(([name]) => name)).toEqual([]);
  });
});
