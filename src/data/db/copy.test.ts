import fc from 'fast-check';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { openLab, type Lab } from '@/server/testing/lab';
import { copyInto, passCounters } from './copy';
import { connect, inTransaction, isOutage, query, whileHeld } from './db';
import { makeEventMonths } from '../sources';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());

it('texts, lists and JSON come out of COPY as they went in, whatever is in them', async () => {
  await query(lab.db, 'create table odd (id int, t text, list text[], j jsonb, b boolean, at timestamptz)');
  const text = fc.string({ unit: fc.constantFrom('a', '\\', '\n', '\r', '\t', '"', "'", ',', '{', '}', 'é', '😀', 'N', ' ', '%') });
  await fc.assert(
    fc.asyncProperty(
      fc.array(
        fc.record({
          t: fc.option(text),
          list: fc.array(text, { maxLength: 3 }),
          j: fc.dictionary(text, text, { maxKeys: 3 }),
          b: fc.boolean(),
        }),
        { maxLength: 20 },
      ),
      async (rows) => {
        await query(lab.db, 'truncate odd');
        const at = new Date('2026-11-24T09:30:00.123Z');
        await copyInto(
          lab.db,
          'odd',
          ['id', 't', 'list', 'j', 'b', 'at'],
          rows.map((row, id) => [id, row.t, row.list, row.j, row.b, at]),
        );
        const back = await query(lab.db, 'select t, list, j, b, at from odd order by id');
        expect(back).toEqual(rows.map((row) => ({ ...row, j: { ...row.j }, at })));
      },
    ),
    { numRuns: 60 },
  );
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
  expect(await query(lab.db, `select relname from pg_class where relname like 'events_2031%' and relkind = 'r' order by 1`)).toEqual(
    ['05', '06', '07', '08'].map((month) => ({ relname: `events_2031_${month}` })),
  );
});

it('work that another got in the way of starts over; a mistake of its own does not', async () => {
  let tries = 0;
  expect(
    await inTransaction(lab.db, () =>
      ++tries < 3 ? Promise.reject(Object.assign(new Error('deadlock'), { code: '40P01' })) : Promise.resolve('done'),
    ),
  ).toBe('done');
  expect(tries).toBe(3);
  tries = 0;
  await expect(
    inTransaction(lab.db, () => {
      tries += 1;
      return Promise.reject(Object.assign(new Error('syntax'), { code: '42601' }));
    }),
  ).rejects.toThrow('syntax');
  expect(tries).toBe(1);
});

it('an outage is told from a mistake: nobody there, cut off, no connection to be had; not a wrong statement', async () => {
  const failing = async (work: () => Promise<unknown>) =>
    work().then(
      () => {
        throw new Error('it went well');
      },
      (error: unknown) => error,
    );
  const nobody = connect('postgres://viatic@127.0.0.1:1/none', 1);
  expect(isOutage(await failing(() => query(nobody, 'select 1')))).toBe(true);
  await nobody.destroy();

  const one = connect(lab.url, 1);
  try {
    const cut = failing(() => query(one, 'select pg_sleep(20)'));
    await expect
      .poll(
        async () =>
          (
            await query<{ ended: boolean }>(
              lab.db,
              `select pg_terminate_backend(pid) as ended from pg_stat_activity where query = 'select pg_sleep(20)'`,
            )
          ).length,
        { timeout: 10_000 },
      )
      .toBe(1);
    expect(isOutage(await cut)).toBe(true);
    // and a question after it finds a new connection
    await expect.poll(() => query(one, 'select 1 as one').catch(isOutage)).toEqual([{ one: 1 }]);
  } finally {
    await one.destroy();
  }
  for (const statement of ['select nonsense', 'select 1 / 0', `insert into store default values`])
    expect(isOutage(await failing(() => query(lab.db, statement))), statement).toBe(false);
});

it('work that one alone may do is done by one, whoever asks for it, and free again after', async () => {
  let inside = 0;
  let most = 0;
  const work = async () => {
    inside += 1;
    most = Math.max(most, inside);
    await new Promise((done) => setTimeout(done, 50));
    inside -= 1;
  };
  // whoever has it lets it go once the other two have been told that it is taken
  let refused = 0;
  let letGo: () => void = () => {};
  const others = new Promise<void>((done) => (letGo = done));
  const three = [1, 2, 3].map(async () => {
    const was = await whileHeld(lab.db, 'this', () => work().then(() => others));
    if (!was && (refused += 1) === 2) letGo();
    return was;
  });
  expect((await Promise.all(three)).filter(Boolean)).toHaveLength(1);
  expect(most).toBe(1);
  expect(await Promise.all([whileHeld(lab.db, 'this', work), whileHeld(lab.db, 'that', work)])).toEqual([true, true]);
  await expect(whileHeld(lab.db, 'this', () => Promise.reject(new Error('it went wrong')))).rejects.toThrow('it went wrong');
  expect(await whileHeld(lab.db, 'this', work)).toBe(true);
});
