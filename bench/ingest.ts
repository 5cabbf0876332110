import { randomUUID } from 'node:crypto';
import { asRows, connect, query } from '../src/data/db';

/**
 * Events over HTTP, with identity, totals, catalogue and live view, in batches of 100 and of 1,000; against inserts of
 * the same rows into the same table shape in the same run: as many rows a statement, and one row a statement.
 */
const EVENTS = 40_000;
const AT_ONCE = 4;
const db = connect(process.env.VIATIC_DATABASE_URL!, AT_ONCE + 1);
const people = 5000;

const makeEvent = (n: number) => ({
  specversion: '1.0', id: randomUUID(), source: 'bench/shop', type: n % 4 === 0 ? 'cart.updated' : 'product.viewed', subject: `bench-${n % people}`,
  data: n % 4 === 0
    ? { cartId: `bench-cart-${n}`, currency: 'EUR', value: 59.9, items: [{ sku: 'QF-F300', name: 'Whisper filter 300', quantity: 1, price: 59.9, url: 'http://shop.example/p/QF-F300', image: 'http://shop.example/i/QF-F300.svg' }], checkoutUrl: 'http://shop.example/cart', person: { email: `bench${n % people}@example.com` } }
    : { sku: 'QF-F300', name: 'Whisper filter 300', price: 59.9, url: 'http://shop.example/p/QF-F300' },
});

async function spread(batches: object[][], work: (batch: object[]) => Promise<void>): Promise<number> {
  const events = batches.reduce((sum, batch) => sum + batch.length, 0);
  const queue = [...batches];
  const began = performance.now();
  await Promise.all(Array.from({ length: AT_ONCE }, async () => {
    for (let batch = queue.shift(); batch; batch = queue.shift()) await work(batch);
  }));
  return events / ((performance.now() - began) / 1000);
}
const make = (first: number, size: number) => Array.from({ length: EVENTS / size }, (_, b) => Array.from({ length: size }, (_x, i) => makeEvent(first + b * size + i)));

const overHttp = async (batch: object[]) => {
  const answer = await fetch(`${process.env.VIATIC_URL}/api/v1/events`, { method: 'POST', headers: { authorization: 'Bearer demo-key', 'content-type': 'application/json' }, body: JSON.stringify(batch) });
  const body = (await answer.json()) as { accepted: number };
  if (body.accepted !== batch.length) throw new Error(`taken: ${JSON.stringify(body).slice(0, 300)}`);
};
const raw = async (batch: object[]) => {
  const rows = (batch as ReturnType<typeof makeEvent>[]).map((event, i) => ({ person_id: 1_000_000 + (i % people), type: event.type, source: event.source, event_id: event.id, properties: event.data }));
  await query(db, `insert into bench_events (person_id, type, time, source, event_id, properties, received_at)
    select person_id, type, now(), source, event_id, properties, now() from json_to_recordset(cast(:rows as json)) as r(person_id bigint, type text, source text, event_id text, properties jsonb)`, { rows: asRows(rows) });
};

const one = async (batch: object[]) => {
  for (const event of batch) await raw([event]);
};

async function main(): Promise<void> {
  await query(db, `create table bench_events (like events including all) partition by range (time)`);
  await query(db, `create table bench_events_now partition of bench_events default`);
  // the first pass gets the people on file and the code warm; the order of the two is turned round to be fair
  await spread(make(0, 100).slice(0, 100), overHttp);
  await spread(make(0, 100).slice(0, 100), raw);
  const median = (list: number[]) => [...list].sort((a, b) => a - b)[1]!;
  const say = (n: number) => Math.round(n).toLocaleString('en');
  const single = await spread(make(0, 100).slice(0, 100), one);
  for (const [turn, size] of [100, 1000].entries()) {
    const http: number[] = [];
    const floor: number[] = [];
    for (let round = 0; round < 3; round++) {
      const batches = make((turn * 3 + round + 1) * EVENTS, size);
      if (round % 2) floor.push(await spread(batches, raw));
      http.push(await spread(batches, overHttp));
      if (!(round % 2)) floor.push(await spread(batches, raw));
    }
    const [h, f] = [median(http), median(floor)];
    console.log(`ingest: ${say(h)} events/s over HTTP in batches of ${size}, ${AT_ONCE} at once; raw inserts of as many rows a statement ${say(f)} events/s, ratio ${(h / f).toFixed(2)}; of one row a statement ${say(single)} events/s, ratio ${(h / single).toFixed(2)} (three rounds: ${http.map(say).join(', ')} against ${floor.map(say).join(', ')})`);
  }
  await query(db, 'drop table bench_events');
  await db.destroy();
}
main().catch((error: Error) => {
  console.error(error);
  process.exit(1);
});
