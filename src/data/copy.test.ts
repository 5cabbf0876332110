import fc from 'fast-check';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { openLab, type Lab } from '@/server/testing/lab';
import { copyInto, passCounters } from './copy';
import { inTransaction, query } from './db';
import { makeEventMonths } from './events';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());

it('texts, lists and JSON come out of COPY as they went in, whatever is in them', async () => {
  await query(lab.db, 'create table odd (id int, t text, list text[], j jsonb, b boolean, at timestamptz)');
  const text = fc.string({ unit: fc.constantFrom('a', '\\', '\n', '\r', '\t', '"', "'", ',', '{', '}', 'é', '😀', 'N', ' ', '%') });
  await fc.assert(fc.asyncProperty(fc.array(fc.record({ t: fc.option(text), list: fc.array(text, { maxLength: 3 }), j: fc.dictionary(text, text, { maxKeys: 3 }), b: fc.boolean() }), { maxLength: 20 }), async (rows) => {
    await query(lab.db, 'truncate odd');
    const at = new Date('2026-11-24T09:30:00.123Z');
    await copyInto(lab.db, 'odd', ['id', 't', 'list', 'j', 'b', 'at'], rows.map((row, id) => [id, row.t, row.list, row.j, row.b, at]));
    const back = await query(lab.db, 'select t, list, j, b, at from odd order by id');
    expect(back).toEqual(rows.map((row) => ({ ...row, j: { ...row.j }, at })));
  }), { numRuns: 60 });
});

it('counters go on after the greatest number that was brought along', async () => {
  await query(lab.db, `insert into people (id, created_at, seen_at) values (700, now(), now())`);
  await passCounters(lab.db, ['people', 'runs']);
  expect(await query(lab.db, `insert into people (created_at, seen_at) values (now(), now()) returning id`)).toEqual([{ id: '701' }]);
});

it('months get a partition of their own, once', async () => {
  const later = Date.parse('2031-05-10T00:00:00Z');
  await makeEventMonths(lab.db, later);
  await makeEventMonths(lab.db, later);
  expect(await query(lab.db, `select relname from pg_class where relname like 'events_2031%' and relkind = 'r' order by 1`)).toEqual(['05', '06', '07', '08'].map((month) => ({ relname: `events_2031_${month}` })));
});

it('work that another got in the way of starts over; a mistake of its own does not', async () => {
  let tries = 0;
  expect(await inTransaction(lab.db, () => (++tries < 3 ? Promise.reject(Object.assign(new Error('deadlock'), { code: '40P01' })) : Promise.resolve('done')))).toBe('done');
  expect(tries).toBe(3);
  tries = 0;
  await expect(inTransaction(lab.db, () => { tries += 1; return Promise.reject(Object.assign(new Error('syntax'), { code: '42601' })); })).rejects.toThrow('syntax');
  expect(tries).toBe(1);
});
