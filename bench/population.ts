import { query, type Db } from '../src/data/db';

/** Fills an empty store with people of two countries, half of them with consent, and `each` events of each over half a year: orders and pages. */
export async function populate(db: Db, people: number, each: number): Promise<void> {
  await query(
    db,
    `truncate runs, traces, sends, events, event_keys, people, identifiers, consents, suppressions, credits, orders,
      segments, segment_members, segment_log, segment_looks, segment_signals cascade`,
  );
  await query(
    db,
    `insert into people (id, attributes, created_at, seen_at) select n, jsonb_build_object('email', 'p' || n || '@example.com', 'country',
      case when n % 3 = 0 then 'DE' else 'NL' end), now(), now() from generate_series(1, ${people}) n`,
  );
  await query(
    db,
    `insert into consents (person_id, channel, state, at) select n, 'email', 'given', now() from generate_series(1, ${people}, 2) n`,
  );
  await query(
    db,
    `insert into events (person_id, type, time, source, event_id, properties, received_at)
     select person, case when (person + n) % 3 = 0 then 'order.placed' else 'page.viewed' end,
       now() - (person * 7 + n * 13) % 180 * interval '1 day' - n * interval '1 hour', 'bench', person || '-' || n,
       jsonb_build_object('value', (person + n) % 300), now() from generate_series(1, ${people}) person, generate_series(1, ${each}) n`,
  );
  for (const table of ['people', 'consents', 'events']) await query(db, `vacuum analyze ${table}`);
}
