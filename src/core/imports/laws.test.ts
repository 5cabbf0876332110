import fc from 'fast-check';
import { isPossiblePhoneNumber } from 'libphonenumber-js/max';
import { describe, expect, it } from 'vitest';
import { CHANNELS } from '../rules';
import {
  csvCell,
  defuse,
  guessColumns,
  IMPORT_KINDS,
  importSchema,
  lookAt,
  ownName,
  readEventRow,
  readMoment,
  readPersonRow,
  sampleRows,
  TARGETS,
  TARGET_WORDS,
  type ImportPlan,
} from '.';

const NOW = Date.parse('2026-11-24T12:00:00Z');
const base = {
  schema: 'viatic.import/1' as const,
  upload: 'u',
  name: 'n',
  format: { kind: 'csv' as const, encoding: 'utf-8', delimiter: ',', hasHeader: true },
  existing: 'replace' as const,
};

/** Cells as files hold them: right, nearly right, and nonsense. */
const cell = fc.oneof(
  fc.constantFrom(
    '',
    ' ',
    'ada@example.com',
    ' Ada@Example.COM ',
    'a@b',
    '06 12345678',
    '+31612345678',
    '+1 212 555 0123',
    '12',
    'yes',
    'no',
    'subscribed',
    'perhaps',
    '2026-03-01',
    '1/3/2026',
    '31/31/2026',
    '2027-01-01',
    '1.249,50',
    '1,249.50',
    '-5',
    '€ 20',
    'EUR',
    'NOK',
    'Netherlands',
    'NL',
    'Europe/Amsterdam',
    'Mars/Base',
    '52.37, 4.89',
    'Cancelled',
    'email',
    'sms',
    '<b>x</b>',
    '=1+1',
    'x'.repeat(6000),
    'a\u0000b',
  ),
  fc.string({ maxLength: 12 }),
  fc.string({ unit: 'grapheme', maxLength: 8 }),
);
const own = (kind: ImportPlan['kind']) =>
  kind === 'people'
    ? ['attribute:litres', 'attribute:born', 'attribute:note']
    : kind === 'events'
      ? ['property:litres', 'property:note']
      : [];
const planned = fc
  .constantFrom(...IMPORT_KINDS)
  .chain((kind) =>
    fc.record({
      kind: fc.constant(kind),
      targets: fc.shuffledSubarray([...TARGETS[kind], ...own(kind)], { minLength: 1 }),
      types: fc.array(
        fc.constantFrom(
          undefined,
          'number' as const,
          'date' as const,
          'yesno' as const,
          'moment' as const,
          'place' as const,
          'texts' as const,
        ),
        { minLength: 30, maxLength: 30 },
      ),
      dayFirst: fc.boolean(),
      country: fc.constantFrom(null, 'NL', 'US'),
      consent: fc.constantFrom(null, { channel: 'email' as const, how: 'at the fair' }),
      tag: fc.constantFrom(null, 'fair'),
      eventType: fc.constantFrom(null, 'pond.cleaned'),
    }),
  )
  .map(({ targets, types, ...more }): ImportPlan => ({
    ...base,
    ...more,
    columns: targets.map((to, index) => ({ index, to, ...(/^(attribute|property):/.test(to) && types[index] && { type: types[index] }) })),
  }));

describe('any row of any file', () => {
  it('is a record or says what is wrong with it: in a column of the plan, with a mend', () => {
    fc.assert(
      fc.property(planned, fc.array(cell, { maxLength: 20 }), (plan, row) => {
        const read =
          plan.kind === 'orders' || plan.kind === 'events'
            ? readEventRow(plan, row, { source: 'file/x', storeCurrency: 'EUR', rowNumber: 7 })
            : readPersonRow(plan, row, NOW);
        if ('record' in read) return;
        expect(read.problems.length).toBeGreaterThan(0);
        const names = new Set([...Object.keys(TARGET_WORDS), 'litres', 'born', 'note']);
        for (const { column, wrong, right } of read.problems) {
          expect(names.has(column.replace(/^(attribute|property):/, '')), column).toBe(true);
          expect(wrong.length).toBeLessThan(200);
          expect(right).not.toBe('');
        }
      }),
      { numRuns: 2000 },
    );
  });

  it('a person that is read is somebody: addresses, numbers and moments are what they should be', () => {
    fc.assert(
      fc.property(
        planned.filter(({ kind }) => kind === 'people' || kind === 'consent'),
        fc.array(cell, { maxLength: 20 }),
        (plan, row) => {
          const read = readPersonRow(plan, row, NOW);
          if (!('record' in read)) return;
          const { record } = read;
          expect(record.externalId ?? record.email ?? record.phone).toBeTruthy();
          if (record.email) expect(record.email).toMatch(/^[^@\s]+@[^@\s]+\.[^@\s]+$/);
          if (record.email) expect(record.email).toBe(record.email.toLowerCase().trim());
          // E.164, and of a length that its country has, by the whole of libphonenumber's data
          if (record.phone) expect([/^\+[1-9]\d{6,14}$/.test(record.phone), isPossiblePhoneNumber(record.phone)]).toEqual([true, true]);
          if (record.consentAt !== null) expect(record.consentAt).toBeLessThanOrEqual(NOW);
          expect(new Set(record.consents.map((word) => word.channel)).size).toBe(record.consents.length);
          for (const word of record.consents) expect(CHANNELS).toContain(word.channel);
          expect(new Set(record.tags).size).toBe(record.tags.length);
          if (plan.tag) expect(record.tags).toContain(plan.tag);
          for (const value of Object.values(record.attributes)) expect(value).not.toBe('');
          expect(JSON.stringify(record)).not.toContain('\\u0000');
        },
      ),
      { numRuns: 2000 },
    );
  });

  it('an order that is read has an id, a moment and an amount, and what takes it back comes after it', () => {
    fc.assert(
      fc.property(
        planned.filter(({ kind }) => kind === 'orders'),
        fc.array(cell, { maxLength: 20 }),
        (plan, row) => {
          const read = readEventRow(plan, row, { source: 'file/x', storeCurrency: 'EUR', rowNumber: 7 });
          if (!('record' in read)) return;
          const [placed, ...after] = read.record as {
            id: string;
            type: string;
            time: string;
            data: { orderId: string; currency: string; value?: number };
          }[];
          expect(placed!.type).toBe('order.placed');
          expect(Number.isNaN(Date.parse(placed!.time))).toBe(false);
          expect(placed!.data.value).toBeGreaterThanOrEqual(0);
          expect(placed!.data.currency).toMatch(/^[A-Z]{3}$/);
          for (const event of after)
            expect([event.type, event.data.orderId]).toEqual([
              expect.stringMatching(/^order\.(cancelled|refunded)$/),
              placed!.data.orderId,
            ]);
          expect(new Set(read.record.map((event) => event.id)).size).toBe(read.record.length);
        },
      ),
      { numRuns: 2000 },
    );
  });
});

describe('guesses and names', () => {
  const header = fc.array(
    fc.oneof(
      fc.constantFrom(
        'Email',
        'E-mail 2',
        'Name',
        'First name',
        'Order number',
        'Total',
        'Date',
        'Land',
        'Größe des Beckens',
        '  ',
        '1',
        '__proto__',
        'constructor',
      ),
      fc.string({ maxLength: 15 }),
    ),
    { minLength: 1, maxLength: 12 },
  );

  it('never give two columns the same meaning, and never one that the kind has not', () => {
    fc.assert(
      fc.property(header, fc.constantFrom(...IMPORT_KINDS), (names, kind) => {
        const guessed = guessColumns(kind, names, []);
        expect(guessed).toHaveLength(names.length);
        const given = guessed.filter((to): to is string => to !== null);
        expect(new Set(given).size).toBe(given.length);
        for (const to of given)
          expect(TARGETS[kind].includes(to) || to.startsWith(kind === 'people' ? 'attribute:' : 'property:'), to).toBe(true);
        const plan = { ...base, kind, columns: guessed.flatMap((to, index) => (to ? [{ index, to }] : [])), dayFirst: true };
        const problems = importSchema.safeParse(plan).error?.issues.map((issue) => issue.message) ?? [];
        for (const problem of problems) expect(problem).toMatch(/^lack /);
      }),
      { numRuns: 500 },
    );
  });

  it.each([
    ['Favourite fish', 'favouriteFish'],
    ['Größe (cm)', 'größeCm'],
    ['2nd tank', '_2ndTank'],
    ['  ', ''],
    ['VIP', 'vIP'],
    ['a-b_c', 'aBC'],
  ])('the column “%s” is %s', (column, name) => expect(ownName(column)).toBe(name));
});

describe('cells and moments', () => {
  it('a cell that goes out comes in as it was, or with the apostrophe that keeps it from being a formula', () => {
    fc.assert(
      fc.property(
        fc.string({ unit: 'grapheme', maxLength: 20 }).filter((text) => text !== '' && !/^\ufeff/.test(text)),
        (text) => {
          const [row] = sampleRows(`x,${csvCell(text)}\r\n`, ',', 10);
          expect(row![1]).toBe(defuse(text));
          expect([text, `'${text}`]).toContain(row![1]);
        },
      ),
    );
  });

  it('day before month or month before day: each reads its own writing, and both the standard’s (ISO 8601)', () => {
    fc.assert(
      fc.property(
        fc.date({ min: new Date('2000-01-02T00:00:00Z'), max: new Date('2026-11-20T00:00:00Z'), noInvalidDate: true }),
        (date) => {
          const [year, month, day] = [date.getUTCFullYear(), date.getUTCMonth() + 1, date.getUTCDate()];
          const midnight = Date.UTC(year, month - 1, day);
          expect(readMoment(`${day}/${month}/${year}`, true)).toBe(midnight);
          expect(readMoment(`${month}/${day}/${year}`, false)).toBe(midnight);
          for (const dayFirst of [true, false]) {
            expect(readMoment(date.toISOString().slice(0, 10), dayFirst)).toBe(midnight);
            expect(readMoment(date.toISOString(), dayFirst)).toBe(date.getTime());
            expect(readMoment(date.toISOString().slice(0, 16).replace('T', ' '), dayFirst)).toBe(
              Math.floor(date.getTime() / 60_000) * 60_000,
            );
          }
        },
      ),
    );
  });

  it('the delimiter of a plain table is found, whichever it is', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(',', ';', '\t', '|'),
        fc.integer({ min: 2, max: 6 }),
        fc.integer({ min: 2, max: 8 }),
        (delimiter, columns, rows) => {
          const text = Array.from({ length: rows }, (_, r) =>
            Array.from({ length: columns }, (_x, c) => (r ? `value ${r} ${c}` : `column ${c}`)).join(delimiter),
          ).join('\n');
          expect(lookAt(`${text}\n`).delimiter).toBe(delimiter);
        },
      ),
    );
  });
});
