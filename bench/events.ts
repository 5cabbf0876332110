import { randomUUID } from 'node:crypto';
import { asRows, query, type Db } from '../src/data/db';

const PEOPLE = 5000;

/** An event as a shop sends them: every fourth a cart with its person's address, the others looks at a product. */
export const makeEvent = (n: number) => ({
  specversion: '1.0', id: randomUUID(), source: 'bench/shop', type: n % 4 === 0 ? 'cart.updated' : 'product.viewed', subject: `bench-${n % PEOPLE}`,
  data: n % 4 === 0
    ? { cartId: `bench-cart-${n}`, currency: 'EUR', value: 59.9, items: [{ sku: 'QF-F300', name: 'Whisper filter 300', quantity: 1, price: 59.9, url: 'http://shop.example/p/QF-F300', image: 'http://shop.example/i/QF-F300.svg' }], checkoutUrl: 'http://shop.example/cart', person: { email: `bench${n % PEOPLE}@example.com` } }
    : { sku: 'QF-F300', name: 'Whisper filter 300', price: 59.9, url: 'http://shop.example/p/QF-F300' },
});
export type BenchEvent = ReturnType<typeof makeEvent>;

/** Inserts the rows of events as they are, in one statement, into a table of the same shape and indexes as that of events. */
export async function insertRaw(db: Db, batch: readonly BenchEvent[]): Promise<void> {
  const rows = batch.map((event, i) => ({ person_id: 1_000_000 + (i % PEOPLE), type: event.type, source: event.source, event_id: event.id, properties: event.data }));
  await query(db, `insert into bench_events (person_id, type, time, source, event_id, properties, received_at)
    select person_id, type, now(), source, event_id, properties, now() from json_to_recordset(cast(:rows as json)) as r(person_id bigint, type text, source text, event_id text, properties jsonb)`, { rows: asRows(rows) });
}
