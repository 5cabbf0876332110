import { randomUUID } from 'node:crypto';
import { query, rowsOf, type Db } from '../src/data/db';

const PEOPLE = 5000;

/** An event as a shop sends them: every fourth a cart with its person's address, the others looks at a product. */
export const makeEvent = (n: number) => ({
  specversion: '1.0',
  id: randomUUID(),
  source: 'bench/shop',
  type: n % 4 === 0 ? 'cart.updated' : 'product.viewed',
  subject: `bench-${n % PEOPLE}`,
  data:
    n % 4 === 0
      ? {
          cartId: `bench-cart-${n}`,
          currency: 'EUR',
          value: 59.9,
          items: [
            {
              sku: 'QF-F300',
              name: 'Whisper filter 300',
              quantity: 1,
              price: 59.9,
              url: 'http://shop.example/p/QF-F300',
              image: 'http://shop.example/i/QF-F300.svg',
            },
          ],
          checkoutUrl: 'http://shop.example/cart',
          person: { email: `bench${n % PEOPLE}@example.com` },
        }
      : { sku: 'QF-F300', name: 'Whisper filter 300', price: 59.9, url: 'http://shop.example/p/QF-F300' },
});
export type BenchEvent = ReturnType<typeof makeEvent>;

const ROWS = rowsOf({ person_id: 'bigint', type: 'text', source: 'text', event_id: 'text', properties: 'jsonb' });

const rawOf = (batch: readonly BenchEvent[]) =>
  batch.map((event, i) => ({
    person_id: 1_000_000 + (i % PEOPLE),
    type: event.type,
    source: event.source,
    event_id: event.id,
    properties: event.data,
  }));

/**
 * Inserts the rows of events as they are, as the query builder writes it: `insert … values (…), (…)`, into a table of the same
 * shape and indexes as that of events.
 */
export async function insertValues(db: Db, batch: readonly BenchEvent[]): Promise<void> {
  const now = new Date();
  await db('bench_events').insert(rawOf(batch).map((row) => ({ ...row, time: now, received_at: now })));
}

/** The same as fast as we know how: the rows as one parameter. */
export async function insertRaw(db: Db, batch: readonly BenchEvent[]): Promise<void> {
  const rows = rawOf(batch);
  await query(
    db,
    `insert into bench_events (person_id, type, time, source, event_id, properties, received_at)
    select person_id, type, now(), source, event_id, properties, now() from ${ROWS.sql} as r`,
    { rows: ROWS.of(rows) },
  );
}

/** Makes the table into which floors insert: like that of events, without what follows from them. */
export async function makeFloorTable(db: Db): Promise<void> {
  await query(db, 'create table if not exists bench_events (like events including all) partition by range (time)');
  await query(db, 'create table if not exists bench_events_now partition of bench_events default');
}
