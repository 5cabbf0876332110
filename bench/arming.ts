import { flowSchema } from '../src/core/flows';
import { connect, query, type Db } from '../src/data/db';
import { createFlow } from '../src/data/flows';
import { readStore } from '../src/data/store';
import { publishFlow } from '../src/server/flows';
import { comeRound } from '../src/server/flows/occasions';

/**
 * An occasion at which everybody of a country is told and their runs armed, against plain statements by hand that write the same
 * rows for all at once. `BENCH_PEOPLE` sets how many.
 */
const PEOPLE = Number(process.env.BENCH_PEOPLE ?? 100_000);
const db = connect(process.env.VIATIC_DATABASE_URL!, 6);

async function fill(sql: Db): Promise<void> {
  await query(
    sql,
    `truncate runs, traces, sends, events, event_keys, people, identifiers, consents, suppressions, credits, orders cascade`,
  );
  await query(
    sql,
    `insert into people (id, attributes, created_at, seen_at)
     select n, jsonb_build_object('email', 'p' || n || '@d' || n % 50 || '.example', 'country', 'NL'), now(), now()
     from generate_series(1, ${PEOPLE}) n`,
  );
  await query(sql, `truncate segment_looks, arrivals`);
  for (const table of ['people', 'runs', 'events', 'event_keys']) await query(sql, `vacuum analyze ${table}`);
}

async function time(work: () => Promise<unknown>): Promise<number> {
  const began = performance.now();
  await work();
  return (performance.now() - began) / 1000;
}

/** The same rows by hand: keys, events and runs, each for everybody in one statement. */
async function byHand(sql: Db): Promise<void> {
  await query(
    sql,
    `with due as materialized (select id from people where attributes ->> 'country' = 'NL' order by id),
       keys as (insert into event_keys (key) select md5('viatic' || id)::uuid from due order by 1),
       told as (insert into events (person_id, type, time, source, event_id, properties, received_at, source_id)
         select id, 'flow.due', now(), 'viatic', 'flow.due/by-hand/clock/2026-01-01T09:00/' || id,
           '{"to":"by-hand","trigger":"clock","occasion":"2026-01-01T09:00"}', now(), (select id from sources limit 1) from due)
     insert into runs (person_id, flow_id, version, trigger, key, phase, armed_at, wake_at, wakes_on)
     select id, (select id from flows limit 1), 1, 'clock', '2026-01-01T09:00', 'armed', now(), now(), '{}' from due`,
  );
}

async function main(): Promise<void> {
  const say = (n: number) => Math.round(n).toLocaleString('en');
  await query(db, 'truncate flows, flow_versions, flow_occasions cascade');
  const { now } = await readStore(db);
  const starts = new Date(now - 60_000).toISOString();
  const document = flowSchema.parse({
    schema: 'viatic.flow/1',
    name: 'To everybody of a country',
    triggers: [
      {
        id: 'clock',
        kind: 'schedule',
        starts: `${starts.slice(0, 10)}T00:00`,
        rule: 'FREQ=DAILY',
        who: { test: 'attribute', name: 'country', op: 'is', value: 'NL' },
      },
    ],
    entry: null,
    stay: null,
    reentry: 'always',
    goal: null,
    steps: [{ id: 'a-day', kind: 'wait', for: 'P1D' }],
  });
  await createFlow(db, 'to-everybody', document, now);
  await publishFlow(db, 'to-everybody', 'bench');

  await fill(db);
  const floor = await time(() => byHand(db));
  await fill(db);
  await query(db, `update flow_occasions set next_at = :at`, { at: new Date(now - 60_000) });
  const own = await time(async () => {
    while (await comeRound(db));
  });
  const [check] = await query<{ events: number; runs: number }>(
    db,
    `select (select count(*)::int from events where type = 'flow.due') as events, (select count(*)::int from runs where phase = 'armed') as runs`,
  );
  if (check!.events !== PEOPLE || check!.runs !== PEOPLE) throw new Error(`${check!.events} told, ${check!.runs} armed`);
  console.log(
    `arming ${say(PEOPLE)} people: ${own.toFixed(1)} s, ${say(PEOPLE / own)} a second; the same rows by one statement by hand ${floor.toFixed(1)} s, ratio ${(floor / own).toFixed(2)}`,
  );
  await db.destroy();
}
main().catch((error: Error) => {
  console.error(error);
  process.exit(1);
});
