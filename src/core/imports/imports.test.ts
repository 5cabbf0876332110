import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  csvRow,
  defuse,
  guessColumns,
  guessColumnType,
  misfitsOf,
  importSchema,
  lookAt,
  readEventRow,
  readMoment,
  readPersonRow,
  sampleRows,
  type ImportPlan,
} from '.';

const NOW = Date.parse('2026-11-24T12:00:00Z');
const plan = (
  kind: ImportPlan['kind'],
  targets: (string | [string, ImportPlan['columns'][number]['type']])[],
  more: Partial<ImportPlan> = {},
): ImportPlan => ({
  schema: 'viatic.import/1',
  kind,
  upload: 'u',
  name: 'n',
  format: { kind: 'csv', encoding: 'utf-8', delimiter: ',', hasHeader: true },
  dayFirst: true,
  existing: 'replace',
  columns: targets.map((to, index) => (Array.isArray(to) ? { index, to: to[0], type: to[1] } : { index, to })),
  ...more,
});

describe('CSV (RFC 4180)', () => {
  it('what is written is read back, whatever is in it', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.array(fc.string({ unit: fc.constantFrom('a', '"', ',', '\n', '\r\n', ' ', 'é', ';') }), { minLength: 2, maxLength: 4 }),
          { minLength: 1, maxLength: 5 },
        ),
        (rows) => {
          // what a spreadsheet would take for a formula is changed on purpose, so each cell begins with a letter
          const cells = rows.map((row) => row.map((cell) => `x${cell}`));
          expect(sampleRows(cells.map((row) => csvRow(row)).join(''), ',', 100)).toEqual(cells);
        },
      ),
    );
  });

  it('its section 2: quotes around breaks, quotes and commas, doubled quotes, a last record without a break', () => {
    expect(sampleRows('aaa,"b CRLF\r\nbb","c""cc"\r\nzzz,yyy,xxx', ',', 9)).toEqual([
      ['aaa', 'b CRLF\r\nbb', 'c"cc'],
      ['zzz', 'yyy', 'xxx'],
    ]);
  });

  it.each([
    ['=1+1', "'=1+1"],
    ['+SUM(A1)', "'+SUM(A1)"],
    ['@x', "'@x"],
    ['-2+3', "'-2+3"],
    ['\tx', "'\tx"],
    ['-12.50', '-12.50'],
    ['+447700900123', '+447700900123'],
    ['a=b', 'a=b'],
  ])('a cell %j leaves as %j', (cell, out) => {
    expect(defuse(cell)).toBe(out);
  });

  it('finds the delimiter that fits, though another stands in the texts', () => {
    expect(lookAt('name;city\nAda;"Waterstad, north"\nBen;"Waterstad, south"\n')).toEqual({ delimiter: ';', hasHeader: true });
    expect(lookAt('1,2,3\n4,5,6\n')).toEqual({ delimiter: ',', hasHeader: false });
  });
});

describe('guesses', () => {
  it('columns from their names, an address from its values, the rest as attributes of their own', () => {
    expect(
      guessColumns(
        'people',
        ['Customer No', 'Vorname', 'Kontakt', 'Favourite fish', 'Land'],
        [['7', 'Ada', 'ada@example.com', 'Guppy', 'DE']],
      ),
    ).toEqual(['externalId', 'firstName', 'email', 'attribute:favouriteFish', 'country']);
    expect(guessColumns('orders', ['Order number', 'E-mail', 'Created at', 'Grand total', 'Note'], [])).toEqual([
      'orderId',
      'email',
      'at',
      'value',
      null,
    ]);
  });
  it.each([
    [['3/4/1990', '1.2.1985'], 'date'],
    [['yes', 'no', ''], 'yesno'],
    [['1', '2.5'], 'number'],
    [['0123', '0456'], undefined],
    [['a'], undefined],
    [['3/4/1990', '1.2.1985', 'n/a', '2.2.1999'], 'date'],
    [['1', '2', 'about 3', '4', '5'], 'number'],
    [['1', '2', 'many', 'few'], undefined],
    [['1', '0', '1'], 'number'],
    [['y', 'n', 'perhaps', 'y'], 'yesno'],
    [['0123', '456', '789', '0'], 'number'],
    [[''], undefined],
  ])('values %j look like %j', (values, type) => {
    expect(guessColumnType(values)).toBe(type);
  });

  it('and say how many do not fit', () => {
    expect(misfitsOf('date', ['3/4/1990', 'n/a', '', '31/31/1990'])).toBe(2);
    expect(misfitsOf('number', ['1', '012', '1.250,5'])).toBe(1);
    expect(misfitsOf('text', ['anything'])).toBe(0);
  });
});

describe('rows', () => {
  it('every problem of a row is said at once, with column, mistake and mend', () => {
    const row = readPersonRow(
      plan('people', ['email', 'phone', ['attribute:litres', 'number'], 'consent.email', 'zone']),
      ['nonsense', '12', 'many', 'perhaps', 'Mars/Base'],
      NOW,
    );
    expect('problems' in row && row.problems.map((one) => one.column)).toEqual(['email', 'phone', 'zone', 'litres', 'consent.email']);
  });

  it('a phone without country code is one of the row’s country, else of the plan’s', () => {
    const phone = (country: string, more: Partial<ImportPlan> = {}) => {
      const row = readPersonRow(plan('people', ['phone', 'country'], more), ['07700 900123', country], NOW);
      return 'record' in row ? row.record.phone : null;
    };
    expect([phone('United Kingdom'), phone('', { country: 'GB' }), phone('')]).toEqual(['+447700900123', '+447700900123', null]);
  });

  it('consent: by its column, else by what the plan says of all; a moment ahead is refused', () => {
    const read = (cells: string[], more: Partial<ImportPlan> = {}) =>
      readPersonRow(plan('people', ['email', 'consent.email', 'consent.at'], more), cells, NOW);
    const all = { consent: { channel: 'email' as const, how: 'at the fair', wording: null } };
    expect(read(['a@example.com', 'no', ''], all)).toMatchObject({
      record: { consents: [{ channel: 'email', state: 'withdrawn' }], consentHow: 'at the fair' },
    });
    expect(read(['a@example.com', '', '1/3/2026'], all)).toMatchObject({
      record: { consents: [{ channel: 'email', state: 'given' }], consentAt: Date.parse('2026-03-01T00:00:00Z') },
    });
    expect(read(['a@example.com', 'yes', '1/3/2027'])).toMatchObject({ problems: [{ column: 'consent.at' }] });
  });

  it('an order of a file: amounts as they are written, cancelled and refunded as events after it', () => {
    const orders = plan('orders', ['orderId', 'email', 'at', 'value', 'status', 'refunded']);
    const read = (cells: string[]) => {
      const row = readEventRow(orders, cells, { source: 'file/orders', storeCurrency: 'EUR', rowNumber: 1 });
      return 'record' in row
        ? row.record.map((event) => [event.type, (event.data as { value?: number }).value])
        : row.problems.map((one) => one.column);
    };
    expect(read(['1', 'a@example.com', '2026-03-01', '€ 1.249,50', 'paid', ''])).toEqual([['order.placed', 1249.5]]);
    expect(read(['1', 'a@example.com', '2026-03-01', '20', 'Cancelled', ''])).toEqual([
      ['order.placed', 20],
      ['order.cancelled', undefined],
    ]);
    expect(read(['1', 'a@example.com', '2026-03-01', '20', 'paid', '5'])).toEqual([
      ['order.placed', 20],
      ['order.refunded', 5],
    ]);
    expect(read(['', 'a@example.com', 'soon', '-3', '', ''])).toEqual(['at', 'orderId', 'value']);
  });

  it.each([
    ['2026-03-01T10:00:00+01:00', '2026-03-01T09:00:00.000Z'],
    ['2026-03-01 10:00', '2026-03-01T10:00:00.000Z'],
    ['1/3/2026', '2026-03-01T00:00:00.000Z'],
    ['2026-03-01 25:00', null],
    ['never', null],
  ])('the moment %j is %j', (text, iso) => {
    const at = readMoment(text, true);
    expect(at === null ? null : new Date(at).toISOString()).toBe(iso);
  });

  it('a plan that lacks what it needs, or gives a column twice, is refused', () => {
    expect(importSchema.safeParse(plan('orders', ['email', 'orderId', 'value'])).success).toBe(false);
    expect(importSchema.safeParse(plan('people', ['email', 'email'])).success).toBe(false);
    expect(importSchema.safeParse(plan('people', ['email', 'password'])).success).toBe(false);
    expect(importSchema.safeParse(plan('people', ['email'])).success).toBe(true);
  });
});
