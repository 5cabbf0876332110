import { parse } from 'csv-parse/sync';
import { expect, it } from 'vitest';
import { asCsv, compareValues } from './cells';

it('words are in the order in which a person looks them up, numbers by size, no before yes', () => {
  expect(['step 10', 'Step 2', 'émile', 'Eva', 'alder'].sort(compareValues)).toEqual(['alder', 'émile', 'Eva', 'Step 2', 'step 10']);
  expect([10, -3, 2.5].sort(compareValues)).toEqual([-3, 2.5, 10]);
  expect([true, false].sort(compareValues)).toEqual([false, true]);
  // moments in ISO 8601 sort as the moments do
  expect(['2026-11-09T23:00:00Z', '2026-02-10T01:00:00Z'].sort(compareValues)).toEqual(['2026-02-10T01:00:00Z', '2026-11-09T23:00:00Z']);
});

it('a reader of CSV gets back what the table held, under its names and units', () => {
  const text = asCsv(
    [
      { name: 'Flow', value: (row: { name: string; net: number | null }) => row.name },
      { name: 'Revenue', unit: 'EUR', value: (row) => row.net },
    ],
    [
      { name: 'Carts, "left"\nbehind', net: 12.5 },
      { name: '=SUM(A1)', net: null },
    ],
  );
  // csv-parse reads RFC 4180
  expect(parse(text, { columns: true })).toEqual([
    { Flow: 'Carts, "left"\nbehind', 'Revenue (EUR)': '12.5' },
    { Flow: "'=SUM(A1)", 'Revenue (EUR)': '' },
  ]);
});
