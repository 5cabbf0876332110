import { query, type Db } from '../src/data/db';

/** Fills a store with people of whom each has a run of the cart flow that is due: it goes from the end of its wait over a reminder to the end. */
export async function fill(db: Db, runs: number): Promise<void> {
  await query(db, `truncate runs, traces, sends, events, event_keys, people, identifiers, consents, suppressions, credits, orders cascade`);
  await query(
    db,
    `insert into people (id, attributes, created_at, seen_at) select n, jsonb_build_object('email', 'p' || n || '@d' || n % 50 || '.example', 'firstName', 'Robin'),
      now(), now() from generate_series(1, ${runs}) n`,
  );
  await query(
    db,
    `insert into consents (person_id, channel, state, at) select n, 'email', 'given', now() from generate_series(1, ${runs}) n`,
  );
  await query(
    db,
    `insert into events (id, person_id, type, time, source, event_id, properties, received_at)
      select n, n, 'cart.updated', now() - interval '25 hours', 'bench', n::text, jsonb_build_object('cartId', 'c' || n, 'value', 50 + n % 100,
        'currency', 'EUR'), now() from generate_series(1, ${runs}) n`,
  );
  // each has entered a day ago and waits at the end of the 23 hours: what is due is the reminder, then the end
  await query(
    db,
    `insert into runs (id, person_id, flow_id, version, key, phase, armed_at, entered_at, about_event, about_at, step, wait_until, effects, seq, wake_at)
    select n, n, (select id from flows where key = 'cart-left-behind'), 1, 'c' || n, 'inside', now(), e.time + interval '1 hour', n, e.time, 'a-day',
      now() - interval '1 hour', 1, 4, now() - interval '1 hour' + n * interval '1 millisecond' from generate_series(1, ${runs}) n
        join events e on e.person_id = n`,
  );
  // they are in no segment yet, and nobody is still to be looked at: runs are moved at once
  await query(db, `truncate segment_members, segment_log, segment_looks`);
  await query(db, `delete from graphile_worker._private_jobs`);
  for (const table of ['people', 'events', 'runs']) await query(db, `analyze ${table}`);
}
