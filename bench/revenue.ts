import { connect, query, type Db } from '../src/data/db';
import { beginRebuild, rebuildNow } from '../src/data/revenue';
import { writeSetting } from '../src/data/access';
import { ingest } from '../src/server/ingest';
import { usualRevenue } from '../src/core/revenue';
import { again, cartsReport, cohorts, forward, goOnRebuilding, keepSums, lifts, revenueReport, testViews } from '../src/server/revenue';

/**
 * The ledger over many orders of two years with five messages before each: how long it takes to compute it anew, how long each report
 * takes warm, and after how long a new order is in the figures. Floors: one pass over the same events in SQL, and the rows of the ledger
 * written by one statement.
 */
const ORDERS = Number(process.env.BENCH_ORDERS ?? 100_000);
const PER_PERSON = 5;
const PEOPLE = ORDERS / PER_PERSON;
const TOUCHES = 5;
const db = connect(process.env.VIATIC_DATABASE_URL!, 4);
const say = (n: number) => Math.round(n).toLocaleString('en');
const timed = async (work: () => Promise<unknown>): Promise<number> => {
  const began = performance.now();
  await work();
  return performance.now() - began;
};
async function best(work: () => Promise<unknown>): Promise<number> {
  let least = Infinity;
  for (let round = 0; round < 3; round++) least = Math.min(least, await timed(work));
  return least;
}

/** People with five orders each over two years, and before each order five messages, of which three are opened and one or two clicked. */
async function fill(sql: Db): Promise<number> {
  await query(
    sql,
    `truncate runs, traces, sends, events, event_keys, people, identifiers, consents, suppressions, credits, bookings, orders, carts, standing, predictions,
      segments, segment_members, segment_log, segment_looks, segment_signals cascade`,
  );
  const [flow] = await query<{ id: number; version: number }>(
    sql,
    `select id, version from flows where version is not null order by id limit 1`,
  );
  const { id: flowId, version } = flow!;
  await query(sql, `select make_event_months((now() - interval '26 months')::date, 28)`);
  await query(
    sql,
    `insert into people (id, attributes, created_at, seen_at) select n, jsonb_build_object('email', 'p' || n || '@example.com'),
       now() - interval '2 years', now() from generate_series(1, ${PEOPLE}) n`,
  );
  await query(
    sql,
    `insert into consents (person_id, channel, state, at) select n, 'email', 'given', now() from generate_series(1, ${PEOPLE}) n`,
  );
  // orders: a moment of their own for each person and number, spread over two years
  await query(
    sql,
    `create temporary table o as select p, n, now() - interval '1 hour' - ((p * 7919 + n * 104729) % 1050000) * interval '1 minute' as at
     from generate_series(1, ${PEOPLE}) p, generate_series(1, ${PER_PERSON}) n`,
  );
  await query(
    sql,
    `insert into sends (person_id, id, run_id, flow_id, version, step_id, visit, state, queued_at, sent_at, delivered_at, channel)
     select p, ((p - 1) * ${PER_PERSON} + n - 1) * ${TOUCHES} + t, ((p - 1) * ${PER_PERSON} + n - 1) * ${TOUCHES} + t, ${flowId}, ${version},
       'step-' || t, 1, 'delivered', at - t * interval '20 hours', at - t * interval '20 hours', at - t * interval '20 hours', 'email'
     from o, generate_series(1, ${TOUCHES}) t`,
  );
  const touch = (type: string, where: string, later: string) =>
    `select p, '${type}', at - t * interval '20 hours' + interval '${later}', 'viatic', '${type}/' || s.id, jsonb_build_object('sendId', s.id::text,
       'flow', 'f', 'step', 'step-' || t, 'channel', 'email', 'url', 'https://shop.example/' || t), now()
     from o, generate_series(1, ${TOUCHES}) t, lateral (select ((p - 1) * ${PER_PERSON} + n - 1) * ${TOUCHES} + t as id) s where ${where}`;
  await query(
    sql,
    `insert into events (person_id, type, time, source, event_id, properties, received_at)
     select p, 'order.placed', at, 'bench', 'o' || p || '-' || n, jsonb_build_object('orderId', 'o' || p || '-' || n, 'currency', 'EUR',
       'value', 10 + (p + n) % 190, 'items', jsonb_build_array(jsonb_build_object('sku', 'S' || (p + n) % 50, 'price', 10, 'quantity', 1))), now() from o
     union all ${touch('message.delivered', 'true', '1 second')}
     union all ${touch('message.opened', 't <= 3', '1 hour')}
     union all ${touch('message.clicked', 't = 1 or (t = 2 and p % 2 = 0)', '61 minutes')}`,
  );
  for (const table of ['people', 'sends', 'events']) await query(sql, `vacuum analyze ${table}`);
  const [row] = await query<{ events: number }>(sql, 'select count(*)::int as events from events');
  return row!.events;
}

async function rebuild(): Promise<number> {
  // the rebuild goes by people with orders: at first there are none on file
  await query(
    db,
    `insert into orders (person_id, order_id, currency, value_minor, discount_minor, refunded_minor, is_cancelled, placed_at, codes)
     select person_id, properties ->> 'orderId', 'EUR', 0, 0, 0, false, time, '{}' from events where type = 'order.placed' on conflict do nothing`,
  );
  await query(db, 'vacuum analyze orders');
  await beginRebuild(db);
  return timed(async () => {
    while (await rebuildNow(db)) await goOnRebuilding(db, 3_600_000);
  });
}

const url = (params: string) => new URL(`http://x/?${params}`);
const since = (days: number) => `from=${new Date(Date.now() - days * 86_400_000).toISOString()}`;

async function main(): Promise<void> {
  const events = await fill(db);
  await writeSetting(db, 'revenue', usualRevenue());
  const took = await rebuild();
  for (const table of ['orders', 'bookings', 'credits', 'standing']) await query(db, `vacuum analyze ${table}`);
  const [{ credits } = { credits: 0 }] = await query<{ credits: number }>(db, 'select count(*)::int as credits from credits');
  // one pass over the same events, as the ledger has to read them: by person, with what it looks at of each
  const pass = await best(() =>
    query(
      db,
      `select count(*), sum(length(p::text)) from (select person_id, array_agg((type, time, properties) order by time, id) as p from events
       where type like 'order.%' or type in ('message.delivered', 'message.opened', 'message.clicked') group by 1) e`,
    ),
  );
  await query(db, 'create table copied (like credits including all)');
  const write = await timed(() => query(db, 'insert into copied select * from credits'));
  await query(db, 'drop table copied');
  console.log(
    `ledger: ${say(ORDERS)} orders, ${say(events)} events, ${say(credits)} credits by six models computed anew in ${(took / 1000).toFixed(1)} s (${say(ORDERS / (took / 1000))} orders/s); one pass over the events by person in SQL ${(pass / 1000).toFixed(1)} s, ratio ${(took / pass).toFixed(1)}; the credits alone written by one statement ${(write / 1000).toFixed(1)} s, ratio to both together ${(took / (pass + write)).toFixed(1)}`,
  );
  const reports: [string, () => Promise<unknown>][] = [
    ['30 days', () => revenueReport(db, url(since(30)))],
    ['a year', () => revenueReport(db, url(since(365)))],
    ['a year by week', () => revenueReport(db, url(`${since(365)}&grain=week`))],
    ['30 days by product', () => revenueReport(db, url(`${since(30)}&by=product`))],
    ['30 days by link', () => revenueReport(db, url(`${since(30)}&by=link`))],
    ['a year, first and later orders', () => revenueReport(db, url(`${since(365)}&by=first`))],
    ['carts, 90 days', () => cartsReport(db, url(since(90)))],
    ['cohorts of a year', () => cohorts(db, url('months=12'))],
    ['to the third order, a year', () => forward(db, url(since(365)))],
    ['bought again, two years', () => again(db, url(since(730)))],
    ['tests', () => testViews(db)],
    ['lift, 180 days', () => lifts(db, url(since(180)))],
  ];
  const rows = await best(reports[1]![1]);
  const summing = await timed(() => keepSums(db, 3_600_000));
  for (const table of ['takings_days', 'credit_days', 'summed_days', 'stale_days']) await query(db, `vacuum analyze ${table}`);
  console.log(
    `sums: two years of days summed up in ${(summing / 1000).toFixed(1)} s; a report of a year from the rows ${say(rows)} ms, from the sums ${say(await best(reports[1]![1]))} ms`,
  );
  for (const [name, work] of reports) console.log(`report: ${name}: ${say(await best(work))} ms warm`);
  const before = await revenueReport(db, url(since(30)));
  const began = performance.now();
  await ingest(db, {
    specversion: '1.0',
    id: 'new-order',
    source: 'bench',
    type: 'order.placed',
    data: { orderId: 'new-order', currency: 'EUR', value: 12.34, person: { email: 'new@example.com' } },
  });
  const taken = performance.now() - began;
  const after = await revenueReport(db, url(since(30)));
  if (after.takings !== before.takings + 1_234) throw new Error('the new order is not in the figures');
  console.log(`new order: taken in in ${say(taken)} ms, in the figures after ${say(performance.now() - began)} ms`);
  await db.destroy();
}
main().catch((error: Error) => {
  console.error(error);
  process.exit(1);
});
