import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { query } from '@/data/db';
import { SORTS } from '@/data/people';
import { happening, openLab, type Lab } from '../testing/lab';
import { directory, tagPerson } from '.';

/** What was told of each person: the model that the table is held against. */
interface Told {
  id: string;
  first: string;
  last: string;
  email: string | null;
  country: string | null;
  litres: number | null;
  orders: number[];
}

const FIRST = ['lotte', 'lars', 'mira', 'noor', 'otto', 'pia'];
const LAST = ['dorn', 'dahl', 'ebbink', 'faber'];
const told: Told[] = Array.from({ length: 47 }, (_, n) => ({
  id: `c${String(n).padStart(2, '0')}`,
  first: FIRST[n % FIRST.length]!,
  last: LAST[(n * 7) % LAST.length]!,
  email: n % 5 === 0 ? null : `s${n}@example.com`,
  country: n % 4 === 0 ? null : ['NL', 'DE', 'BE'][n % 3]!,
  litres: n % 6 === 0 ? null : (n * 37) % 240,
  orders: Array.from({ length: n % 4 }, (_o, k) => ((n * 13 + k * 29) % 90) + 1),
}));

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
  for (const [n, one] of told.entries()) {
    const time = (k: number) => new Date(Date.parse('2026-10-01T08:00:00Z') + ((n * 31) % 47) * 3_600_000 + k * 60_000).toISOString();
    const person = {
      firstName: one.first,
      lastName: one.last,
      ...(one.email && { email: one.email }),
      ...(one.country && { country: one.country }),
      ...(one.litres !== null && { litres: one.litres }),
    };
    const answer = await lab.tell([
      happening('account.created', { person }, { subject: one.id, time: time(0) }),
      ...one.orders.map((value, k) =>
        happening('order.placed', { orderId: `${one.id}-${k}`, currency: 'EUR', value }, { subject: one.id, time: time(k + 1) }),
      ),
    ]);
    expect(answer.rejected).toEqual([]);
  }
  for (const one of told.filter(({ first }) => first === 'otto')) await tagPerson(lab.db, one.id, 'Breeder', true, 'Marla');
});
afterAll(() => lab.close());

const ask = (params: Record<string, string>) => directory(lab.db, new URL(`http://x/?${new URLSearchParams(params)}`));
/** All pages of a question, a few people at a time. */
const all = async (params: Record<string, string>) => {
  const found: Awaited<ReturnType<typeof ask>>['people'][number][] = [];
  for (let offset = 0; ; offset += 9) {
    const page = await ask({ ...params, limit: '9', offset: String(offset), count: 'no' });
    found.push(...page.people);
    if (page.people.length < 9) return found;
  }
};
const byId = new Map(told.map((one) => [one.id, one]));
const sum = (values: readonly number[]) => values.reduce((a, b) => a + b, 0);

describe('the people table', () => {
  it.each([...SORTS, 'attribute:litres', 'attribute:nobodyHasIt'].flatMap((sort) => ['up', 'down'].map((direction) => [sort, direction])))(
    'by %s, %s: its pages hold everybody once',
    async (sort, direction) => {
      const ids = (await all({ sort: sort!, direction: direction! })).map((one) => one.externalId);
      expect([...ids].sort()).toEqual(told.map((one) => one.id));
    },
  );

  it.each<[string, (one: Told) => number | string | null]>([
    ['id', (one) => one.id],
    ['email', (one) => one.email],
    ['name', (one) => one.last],
    ['orders', (one) => one.orders.length],
    ['value', (one) => sum(one.orders)],
    ['attribute:litres', (one) => one.litres],
  ])('by %s it goes one way, then the other; who lacks it comes last', async (sort, key) => {
    for (const direction of ['up', 'down']) {
      const keys = (await all({ sort, direction })).map((one) => key(byId.get(one.externalId!)!));
      const given = keys.filter((one) => one !== null);
      const compare = (a: number | string, b: number | string) => (typeof a === 'string' ? (a < b ? -1 : a > b ? 1 : 0) : a - Number(b));
      expect(given).toEqual([...given].sort((a, b) => (direction === 'up' ? compare(a, b) : compare(b, a))));
      expect(keys.slice(given.length).every((one) => one === null)).toBe(true);
    }
  });

  it('shows of each what was told, with what their orders come to', async () => {
    for (const row of await all({ sort: 'id' })) {
      const one = byId.get(row.externalId!)!;
      expect(row).toMatchObject({
        email: one.email,
        country: one.country,
        orders: one.orders.length,
        value: { currency: 'EUR', minor: sum(one.orders) * 100 },
        tags: one.first === 'otto' ? ['Breeder'] : [],
      });
    }
  });

  it.each<[string, (one: Told) => boolean]>([
    ['lotte', (one) => one.first === 'lotte'],
    ['lotte dorn', (one) => one.first === 'lotte' && one.last === 'dorn'],
    ['DORN LOTTE', (one) => one.first === 'lotte' && one.last === 'dorn'],
    ['la', (one) => one.first === 'lars'],
    ['s12@example.com', (one) => one.email === 's12@example.com'],
    ['c07', (one) => one.id === 'c07'],
    ['%', () => false],
    ['_', () => false],
    ['\\', () => false],
    ['nobody', () => false],
  ])('the words %j find exactly who has them, in each order', async (words, has) => {
    const expected = told.filter(has).map((one) => one.id);
    expect((await ask({ q: words })).total).toBe(expected.length);
    for (const sort of ['seen', 'value', 'name', 'attribute:litres'])
      expect((await all({ q: words, sort })).map((one) => one.externalId).sort()).toEqual(expected);
  });

  it('a rule narrows it, and is said in words', async () => {
    const rule = JSON.stringify({ test: 'attribute', name: 'country', op: 'is', value: 'NL' });
    const answer = await ask({ rule, limit: '200' });
    expect(answer.total).toBe(told.filter((one) => one.country === 'NL').length);
    expect(answer.people.every((one) => one.country === 'NL')).toBe(true);
    expect(answer.rule).toMatch(/NL/);
  });

  it('chosen people are just those', async () => {
    const [first, second] = (await ask({ limit: '2' })).people;
    expect((await ask({ ids: `${first!.number},${second!.number}` })).people.map((one) => one.number).sort()).toEqual(
      [first!.number, second!.number].sort(),
    );
  });

  it.each([
    [{ sort: 'password' }, 'sort'],
    [{ sort: "attribute:x';--" }, 'sort'],
    [{ ids: '1;drop' }, 'ids'],
    [{ rule: '{' }, 'rule'],
  ])('%j is refused with the place', async (params, field) => {
    await expect(ask(params as unknown as Record<string, string>)).rejects.toMatchObject({ errors: [{ field }] });
  });

  it('an offset beyond the end is no error; one that is no whole number is refused by name', async () => {
    expect((await ask({ offset: '5000' })).people).toEqual([]);
    expect((await ask({ offset: '5000', sort: 'value' })).people).toEqual([]);
    expect((await ask({ limit: '-4' })).total).toBe(told.length);
    for (const field of ['offset', 'limit'])
      await expect(ask({ [field]: '1.5' })).rejects.toMatchObject({ status: 400, errors: [{ field }] });
  });

  it('who was erased is in none of it', async () => {
    await query(lab.db, `update people set erased_at = now() where external_id = 'c01'`);
    try {
      expect((await ask({})).total).toBe(told.length - 1);
      expect((await all({ sort: 'value' })).some((one) => one.externalId === 'c01')).toBe(false);
    } finally {
      await query(lab.db, `update people set erased_at = null where external_id = 'c01'`);
    }
  });
});
