import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openLab, type Lab } from '@/server/testing/lab';
import { query } from './db';
import { rowsOf, textList } from './rows';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());

const odd = fc.string({
  unit: fc.constantFrom('a', '\\', '"', "'", ',', '{', '}', '\n', '\t', 'é', '😀', ' ', '?', ':', 'null', 'NULL', '%'),
  maxLength: 8,
});
const json = fc.oneof(
  odd,
  fc.integer(),
  fc.boolean(),
  fc.array(odd, { maxLength: 3 }),
  fc
    .dictionary(
      odd.filter((name) => name !== ''),
      odd,
      { maxKeys: 3 },
    )
    .map((one) => ({ ...one })),
);
const ALL = rowsOf({ id: 'bigint', n: 'int', yes: 'boolean', t: 'text', list: 'text[]', j: 'jsonb', at: 'moment' });

describe('rows handed to a statement', () => {
  it('are there as they were given, whatever is in them', async () => {
    const row = fc.record({
      id: fc.bigInt({ min: 0n, max: 9_007_199_254_740_993n }).map(String),
      n: fc.option(fc.integer({ min: -2_147_483_648, max: 2_147_483_647 })),
      yes: fc.option(fc.boolean()),
      t: fc.option(odd),
      list: fc.option(fc.array(odd, { maxLength: 4 })),
      j: fc.option(json),
      at: fc.option(fc.date({ min: new Date('2000-01-01T00:00:00Z'), max: new Date('2100-01-01T00:00:00Z'), noInvalidDate: true })),
    });
    await fc.assert(
      fc.asyncProperty(fc.array(row, { maxLength: 12 }), async (rows) => {
        expect(await query(lab.db, `select * from ${ALL.sql} as r`, { rows: ALL.of(rows) })).toEqual(rows);
      }),
      { numRuns: 150 },
    );
  });

  it('come in the order given, with nothing for what a row does not name, and leave out what is no column', async () => {
    const rows = [
      { id: 3, at: Date.parse('2026-11-24T09:30:00.125Z') },
      { id: 1, t: undefined, more: 'left out' },
      { id: '2', j: null },
    ];
    expect(await query(lab.db, `select id, t, j, at from ${ALL.sql} as r`, { rows: ALL.of(rows) })).toEqual([
      { id: '3', t: null, j: null, at: new Date('2026-11-24T09:30:00.125Z') },
      { id: '1', t: null, j: null, at: null },
      { id: '2', t: null, j: null, at: null },
    ]);
    expect(await query(lab.db, `select * from ${ALL.sql} as r`, { rows: ALL.of([]) })).toEqual([]);
  });

  it('of what somebody else sent show signs for what a text cannot hold', async () => {
    const rows = [{ t: 'a\u0000b', j: { cells: ['\ud800', 'x\u0000'] } }];
    expect(await query(lab.db, `select t, j from ${ALL.sql} as r`, { rows: ALL.ofAnything(rows) })).toEqual([
      { t: 'a␀b', j: { cells: ['\ufffd', 'x␀'] } },
    ]);
    await expect(query(lab.db, `select t from ${ALL.sql} as r`, { rows: ALL.of(rows) })).rejects.toThrow(
      /unsupported Unicode|invalid input/,
    );
  });
});

it('a list of texts is what PostgreSQL reads as that list', async () => {
  await fc.assert(
    fc.asyncProperty(fc.array(odd, { maxLength: 20 }), async (list) => {
      expect(await query(lab.db, 'select cast(:list as text[]) as list', { list: textList(list) })).toEqual([{ list }]);
    }),
    { numRuns: 150 },
  );
});
