import { connect, query } from '../src/data/db';
import { insertRaw, makeEvent, type BenchEvent } from './events';

/**
 * Events over HTTP, with identity, totals, catalogue and live view, by size of request; against floors in the same run:
 * the least HTTP door (the same requests, parsed and inserted as they are), inserts of as many rows a statement, and
 * inserts of one row a statement.
 */
const AT_ONCE = 4;
const SIZES = [1, 100, 1000];
const db = connect(process.env.VIATIC_DATABASE_URL!, AT_ONCE + 1);

async function spread(batches: BenchEvent[][], work: (batch: BenchEvent[]) => Promise<void>): Promise<number> {
  const events = batches.reduce((sum, batch) => sum + batch.length, 0);
  const queue = [...batches];
  const began = performance.now();
  await Promise.all(Array.from({ length: AT_ONCE }, async () => {
    for (let batch = queue.shift(); batch; batch = queue.shift()) await work(batch);
  }));
  return events / ((performance.now() - began) / 1000);
}
let made = 0;
const make = (events: number, size: number): BenchEvent[][] => Array.from({ length: events / size }, () => Array.from({ length: size }, () => makeEvent(made++)));

const over = (url: string) => async (batch: BenchEvent[]): Promise<void> => {
  const answer = await fetch(url, { method: 'POST', headers: { authorization: 'Bearer demo-key', 'content-type': 'application/json' }, body: JSON.stringify(batch) });
  const body = (await answer.json()) as { accepted: number };
  if (body.accepted !== batch.length) throw new Error(`taken: ${JSON.stringify(body).slice(0, 300)}`);
};
const ways = {
  http: over(`${process.env.VIATIC_URL}/api/v1/events`),
  door: over(`http://127.0.0.1:${process.env.BENCH_DOOR_PORT}/`),
  rows: (batch: BenchEvent[]) => insertRaw(db, batch),
  single: async (batch: BenchEvent[]) => {
    for (const event of batch) await insertRaw(db, [event]);
  },
};
type Way = keyof typeof ways;

async function main(): Promise<void> {
  await query(db, `create table bench_events (like events including all) partition by range (time)`);
  await query(db, `create table bench_events_now partition of bench_events default`);
  // the first pass gets the people on file and the code warm
  await spread(make(20_000, 100), ways.http);
  for (const way of ['door', 'rows'] as const) await spread(make(10_000, 100), ways[way]);
  const median = (list: number[]) => [...list].sort((a, b) => a - b)[1]!;
  const say = (n: number) => Math.round(n).toLocaleString('en');
  for (const size of SIZES) {
    const rounds: Record<Way, number[]> = { http: [], door: [], rows: [], single: [] };
    for (let round = 0; round < 3; round++) {
      // in turn forwards and backwards, so that none always comes after the same
      const order: Way[] = ['http', 'door', 'rows', 'single'];
      for (const way of round % 2 ? order.reverse() : order) rounds[way].push(await spread(make(size === 1 ? 1_000 : way === 'single' ? 4_000 : 40_000, size), ways[way]));
    }
    const own = median(rounds.http);
    const against = (name: string, way: Way) => `${name} ${say(median(rounds[way]))}, ratio ${(own / median(rounds[way])).toFixed(2)}`;
    console.log(`ingest, ${size === 1 ? 'one event' : `${say(size)} events`} a request, ${AT_ONCE} requests at once: ${say(own)} events/s (${rounds.http.map(say).join(', ')}); ${[against('the least HTTP door', 'door'), against('inserts of as many rows a statement', 'rows'), against('of one row a statement', 'single')].join('; ')}`);
  }
  await query(db, 'drop table bench_events');
  await db.destroy();
}
main().catch((error: Error) => {
  console.error(error);
  process.exit(1);
});
