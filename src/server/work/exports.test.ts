import { parse } from 'csv-parse/sync';
import fc from 'fast-check';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { MOST_STREAMS, query } from '@/data/db';
import { addTag } from '@/data/work';
import { exportFile } from './exports';
import { cart, happening, openLab, type Lab } from '../testing/lab';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(() => lab.empty('attributes'));

const out = async (params: string): Promise<string> => {
  const { body } = await exportFile(lab.db, new URL(`http://x/?${params}`));
  const parts: Buffer[] = [];
  for await (const part of body) parts.push(Buffer.from(part as Buffer));
  return Buffer.concat(parts).toString();
};
/** Read by a reader that is not ours (csv-parse, RFC 4180). */
const table = async (params: string) => parse(await out(params), { columns: true, relax_column_count: false }) as Record<string, string>[];
const lines = async (params: string) =>
  (await out(`${params}&format=ndjson`))
    .split('\n')
    .filter(Boolean)
    .map((line) => JSON.parse(line) as Record<string, unknown>);
const order = (email: string, orderId: string, value: number, more: object = {}) =>
  happening('order.placed', { orderId, currency: 'EUR', value, person: { email, ...more } }, { time: '2026-11-02T10:00:00Z' });

describe('what goes out', () => {
  it('people have a column for each attribute on record, with tags, consent and what their orders come to', async () => {
    await lab.tell([
      order('a@example.com', 'o1', 40, { firstName: 'Ada', tanks: 2, vip: true, consent: { email: true } }),
      order('a@example.com', 'o2', 10),
      happening('order.refunded', { orderId: 'o2', value: 4 }),
      happening('page.viewed', {}, { subject: 'c7' }),
    ]);
    await addTag(
      lab.db,
      [(await query<{ id: string }>(lab.db, `select id from people where email = 'a@example.com'`))[0]!.id],
      'keeper',
      'test',
      new Date(),
    );
    const people = await table('what=people');
    expect(people).toHaveLength(2);
    expect(people.find((one) => one.email === 'a@example.com')).toMatchObject({
      externalId: '',
      firstName: 'Ada',
      tanks: '2',
      vip: 'true',
      tags: 'keeper',
      lists: '',
      consentEmail: 'given',
      consentSms: '',
      orders: '2',
      netMinor: '4600',
    });
    expect(people.find((one) => one.externalId === 'c7')).toMatchObject({ email: '', firstName: '', orders: '0', netMinor: '0' });
  });

  it('orders, events and consent name whose they are, with times in UTC', async () => {
    await lab.tell(order('a@example.com', 'o1', 40.5, { consent: { email: true, wording: 'Yes, "please"', how: 'checkout' } }));
    const [id] = await query<{ id: string }>(lab.db, 'select id from people');
    expect(await table('what=orders')).toEqual([
      {
        personId: `~${id!.id}`,
        email: 'a@example.com',
        orderId: 'o1',
        placedAt: '2026-11-02T10:00:00Z',
        currency: 'EUR',
        valueMinor: '4050',
        discountMinor: '0',
        refundedMinor: '0',
        isCancelled: 'false',
        cartId: '',
      },
    ]);
    const [event] = await table('what=events');
    expect(event).toMatchObject({ type: 'order.placed', time: '2026-11-02T10:00:00Z', source: 'test' });
    expect(JSON.parse(event!.properties!)).toEqual({ orderId: 'o1', currency: 'EUR', value: 40.5 });
    expect(await table('what=consent')).toMatchObject([
      {
        channel: 'email',
        state: 'given',
        at: '2026-11-02T10:00:00Z',
        how: 'checkout',
        wording: 'Yes, "please"',
        address: 'a@example.com',
        enteredBy: '',
      },
    ]);
  });

  it('the same rows in both forms, for those alone who match', async () => {
    await lab.tell([
      order('a@example.com', 'o1', 5, { country: 'NL' }),
      order('b@example.com', 'o2', 6, { country: 'DE' }),
      order('c@example.com', 'o3', 7, { country: 'NL' }),
    ]);
    const dutch = `rule=${encodeURIComponent(JSON.stringify({ test: 'attribute', name: 'country', op: 'is', value: 'NL' }))}`;
    for (const what of ['people', 'orders', 'events']) {
      expect((await table(`what=${what}&${dutch}`)).map((row) => row.email).sort(), what).toEqual(['a@example.com', 'c@example.com']);
      expect((await lines(`what=${what}&${dutch}`)).map((row) => row.email).sort(), what).toEqual(['a@example.com', 'c@example.com']);
    }
    expect(await table('what=orders&q=nobody')).toEqual([]);
    expect(await out('what=orders&q=nobody')).toMatch(/^personId,.*\n$/);
  });

  it('numbers and lists keep their kind as NDJSON; more attributes than a function takes go out all the same', async () => {
    const many = Object.fromEntries(Array.from({ length: 70 }, (_, n) => [`field${n}`, n]));
    await lab.tell(happening('page.viewed', { person: { email: 'a@example.com', ...many, likes: ['plants', 'shrimp'] } }));
    const [row] = await lines('what=people');
    expect(row).toMatchObject({ email: 'a@example.com', orders: 0, netMinor: 0, field0: '0', field69: '69' });
    expect(Object.keys(row!).length).toBeGreaterThan(75);
    expect(JSON.parse(row!.likes as string)).toEqual(['plants', 'shrimp']);
  });

  it('whoever is erased is in none of them', async () => {
    await lab.tell([cart('a@example.com', 20), cart('b@example.com', 30)]);
    await query(lab.db, `update people set erased_at = now(), attributes = '{}' where email = 'a@example.com'`);
    expect((await table('what=people')).map((row) => row.email)).toEqual(['b@example.com']);
  });

  it('law: whatever texts people carry, a reader of RFC 4180 gets them back, and no cell begins as a formula does', async () => {
    const text = fc.string({
      unit: fc.constantFrom('a', '"', "'", ',', ';', '\n', '\r', '\t', '=', '+', '-', '@', '0', ' ', 'é', '🐠', '\\'),
      minLength: 1,
      maxLength: 12,
    });
    await fc.assert(
      fc.asyncProperty(fc.array(text, { minLength: 1, maxLength: 6 }), async (notes) => {
        await lab.empty('attributes');
        await lab.tell(notes.map((note, n) => happening('page.viewed', { person: { email: `p${n}@example.com`, note } })));
        const rows = await table('what=people');
        expect(rows).toHaveLength(notes.length);
        for (const [n, note] of notes.entries()) {
          const cell = rows.find((row) => row.email === `p${n}@example.com`)!.note ?? '';
          expect(cell === note || cell === `'${note}`, JSON.stringify([note, cell])).toBe(true);
          if (/^[=@\t\r]/.test(note)) expect(cell).toBe(`'${note}`);
          if (/^[+-]/.test(cell)) expect(cell).toMatch(/^[+-]\d/);
        }
        expect((await lines('what=people')).map((row) => row.note).sort()).toEqual([...notes].sort());
      }),
      { numRuns: 30 },
    );
  });
});

describe('a reader who is slow, or gone', () => {
  const connections = async () =>
    (
      await query<{ n: number }>(
        lab.db,
        `select count(*)::int as n from pg_stat_activity where datname = current_database() and application_name = 'viatic export'`,
      )
    )[0]!.n;
  const noise = async () => {
    await lab.tell(Array.from({ length: 900 }, (_, n) => happening('app.noted', { text: 'x'.repeat(4000), n }, { subject: `n${n}` })));
    await query(
      lab.db,
      `insert into events (person_id, type, time, source, event_id, properties, received_at, source_id)
        select person_id, type, time, source, event_id || '-' || n, properties, received_at, source_id from events, generate_series(1, 6) n
          where type = 'app.noted'`,
    );
  };
  const start = (more: { signal?: AbortSignal; idleMs?: number } = {}) =>
    exportFile(lab.db, new URL('http://x/?what=events&format=ndjson'), more);

  it('who gives up, before or after the first lines, holds nothing', async () => {
    await noise();
    for (let i = 0; i < 10; i++) {
      const giveUp = new AbortController();
      const { body } = await start({ signal: giveUp.signal });
      if (i % 2) await new Promise((done) => body.once('data', done));
      body.on('error', () => {});
      giveUp.abort();
    }
    await expect.poll(connections).toBe(0);
    expect((await table('what=people')).length).toBe(900);
  });

  it('who does not read on is cut off after a while, and sees that the file is not whole; more than four at once are told to wait', async () => {
    await noise();
    const open = await Promise.all(Array.from({ length: MOST_STREAMS }, () => start({ idleMs: 6000 })));
    await expect(start()).rejects.toMatchObject({ status: 429, headers: { 'retry-after': '60' } });
    expect(await connections()).toBe(MOST_STREAMS);
    const failures = open.map(({ body }) => new Promise<Error>((done) => body.once('error', done)));
    await expect.poll(connections, { timeout: 15_000 }).toBe(0);
    for (const { body } of open) body.resume();
    expect((await Promise.all(failures)).map((error) => error.message)).toEqual(
      open.map(() => expect.stringMatching(/not read|aborted|closed|terminated/i)),
    );
    expect((await table('what=people')).length).toBe(900);
  });
});

describe('what is asked for in a way that makes no sense', () => {
  it.each([
    ['what=secrets', 'what'],
    ['what=people&format=xlsx', 'format'],
    ['what=people&rule=%7B', 'rule'],
  ])('%s is refused with the place', async (params, field) => {
    await expect(exportFile(lab.db, new URL(`http://x/?${params}`))).rejects.toMatchObject({ status: 400, errors: [{ field }] });
  });

  it('the file is called what it is, with the day of store time', async () => {
    const { name, type } = await exportFile(lab.db, new URL('http://x/?what=orders&format=ndjson'));
    expect(name).toBe(`orders-${new Date(await lab.now()).toISOString().slice(0, 10)}.ndjson`);
    expect(type).toBe('application/x-ndjson');
  });
});
