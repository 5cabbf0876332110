import { connect } from '../src/data/db';
import { makeEvent, makeFloorTable } from './events';

/**
 * How long a request takes when many send at once: 50 clients, each with its next batch of 20 as soon as the last is
 * answered, for 30 seconds; against the least HTTP door under the same crowd. No error may come.
 */
const CLIENTS = 50;
const SIZE = 20;
const SECONDS = Number(process.env.BENCH_SECONDS ?? 30);
let made = 5_000_000;

async function crowd(url: string): Promise<{ events: number; errors: number; times: number[] }> {
  const until = performance.now() + SECONDS * 1000;
  const times: number[] = [];
  let [events, errors] = [0, 0];
  await Promise.all(
    Array.from({ length: CLIENTS }, async () => {
      while (performance.now() < until) {
        const body = JSON.stringify(Array.from({ length: SIZE }, () => makeEvent(made++)));
        const began = performance.now();
        try {
          const answer = await fetch(url, {
            method: 'POST',
            headers: { authorization: 'Bearer demo-key', 'content-type': 'application/json' },
            body,
          });
          const { accepted } = (await answer.json()) as { accepted?: number };
          if (accepted === SIZE) events += SIZE;
          else errors += 1;
        } catch {
          errors += 1;
        }
        times.push(performance.now() - began);
      }
    }),
  );
  return { events, errors, times: times.sort((a, b) => a - b) };
}

async function main(): Promise<void> {
  const db = connect(process.env.VIATIC_DATABASE_URL!, 1);
  await makeFloorTable(db);
  await db.destroy();
  for (const [name, url] of [
    ['Viatic', `${process.env.VIATIC_URL}/api/v1/events`],
    ['the least HTTP door', `http://127.0.0.1:${process.env.BENCH_DOOR_PORT}/`],
  ] as const) {
    const { events, errors, times } = await crowd(url);
    const at = (share: number) => `${Math.round(times[Math.min(times.length - 1, Math.floor(times.length * share))] ?? 0)} ms`;
    console.log(
      `crowd, ${CLIENTS} clients with ${SIZE} events each for ${SECONDS} s, ${name}: ${Math.round(events / SECONDS).toLocaleString('en')} events/s,
        ${errors} errors, median ${at(0.5)}, 95th percentile ${at(0.95)}, 99th ${at(0.99)}`,
    );
  }
}
main().catch((error: Error) => {
  console.error(error);
  process.exit(1);
});
