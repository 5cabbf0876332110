import { connect, query } from '../src/data/db';
import { insertRaw, insertValues, makeEvent, makeFloorTable, type BenchEvent } from './events';

/**
 * Events over HTTP, with identity, totals, catalogue, live view and the flows they start, by size of request and by how
 * many come at once; against floors in the same run: the least HTTP door (the same requests, parsed and inserted as they
 * are), and inserts without HTTP: of as many rows a statement, as a query builder writes it and as fast as we know how,
 * and of one row a statement.
 */
const CASES = [
  { size: 1, atOnce: 4 },
  { size: 1, atOnce: 64 },
  { size: 100, atOnce: 4 },
  { size: 1000, atOnce: 4 },
];
const db = connect(process.env.VIATIC_DATABASE_URL!, 10);

async function spread(batches: BenchEvent[][], atOnce: number, work: (batch: BenchEvent[]) => Promise<void>): Promise<number> {
  const events = batches.reduce((sum, batch) => sum + batch.length, 0);
  const queue = [...batches];
  const began = performance.now();
  await Promise.all(
    Array.from({ length: atOnce }, async () => {
      for (let batch = queue.shift(); batch; batch = queue.shift()) await work(batch);
    }),
  );
  return events / ((performance.now() - began) / 1000);
}
let made = 0;
const make = (events: number, size: number): BenchEvent[][] =>
  Array.from({ length: events / size }, () => Array.from({ length: size }, () => makeEvent(made++)));

const over =
  (url: string) =>
  async (batch: BenchEvent[]): Promise<void> => {
    const answer = await fetch(url, {
      method: 'POST',
      headers: { authorization: 'Bearer demo-key', 'content-type': 'application/json' },
      body: JSON.stringify(batch),
    });
    const body = (await answer.json()) as { accepted: number };
    if (body.accepted !== batch.length) throw new Error(`taken: ${JSON.stringify(body).slice(0, 300)}`);
  };
const ways = {
  http: over(`${process.env.VIATIC_URL}/api/v1/events`),
  door: over(`http://127.0.0.1:${process.env.BENCH_DOOR_PORT}/`),
  rows: (batch: BenchEvent[]) => insertRaw(db, batch),
  values: (batch: BenchEvent[]) => insertValues(db, batch),
  single: async (batch: BenchEvent[]) => {
    for (const event of batch) await insertValues(db, [event]);
  },
};
type Way = keyof typeof ways;

async function main(): Promise<void> {
  await makeFloorTable(db);
  // the first pass gets the people on file and the code warm
  await spread(make(20_000, 100), 4, ways.http);
  for (const way of ['door', 'rows', 'values'] as const) await spread(make(10_000, 100), 4, ways[way]);
  const median = (list: number[]) => [...list].sort((a, b) => a - b)[1]!;
  const say = (n: number) => Math.round(n).toLocaleString('en');
  for (const { size, atOnce } of CASES) {
    const rounds: Record<Way, number[]> = { http: [], door: [], rows: [], values: [], single: [] };
    const order = (Object.keys(rounds) as Way[]).filter((way) => size > 1 || way !== 'values');
    for (let round = 0; round < 3; round++) {
      // in turn forwards and backwards, so that none always comes after the same
      for (const way of round % 2 ? order.toReversed() : order)
        rounds[way].push(
          await spread(make(size === 1 ? 500 * Math.sqrt(atOnce) : way === 'single' ? 4_000 : 40_000, size), atOnce, ways[way]),
        );
    }
    const own = median(rounds.http);
    console.log(
      `ingest, ${size === 1 ? 'one event' : `${say(size)} events`} a request,
        ${atOnce} requests at once: ${say(own)} events/s (${rounds.http.map(say).join(', ')})`,
    );
    const floors = {
      door: 'the least HTTP door',
      values: 'inserts of as many rows a statement, as a query builder writes it',
      rows: 'the same as fast as we know how',
      single: 'inserts of one row a statement',
    };
    for (const way of order)
      if (way !== 'http')
        console.log(`  against ${floors[way]}: ${say(median(rounds[way]))}, ratio ${(own / median(rounds[way])).toFixed(2)}`);
  }
  await query(db, 'drop table bench_events');
  await db.destroy();
}
main().catch((error: Error) => {
  console.error(error);
  process.exit(1);
});
