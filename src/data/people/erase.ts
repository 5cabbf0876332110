import { erasedOrderId } from '../revenue';
import { foldArrivals } from '../sources';
import { query, type Sql } from '../db';

/** Whether a column holds a number that the person has, or had before a merge. */
const isTheirs = (column: string): string => `${column} = any(person_ids(:personId))`;

/**
 * Erases a person: identity, attributes, consent, events and traces go; of events their number by type and month
 * stays, of orders and sends what the ledger and the flows' figures need, with nothing that leads back.
 */
export async function erase(sql: Sql, personId: string, at: Date): Promise<void> {
  const b = { personId, at };
  await query(
    sql,
    `insert into erased_counts (type, month, count) select type, date_trunc('month', time)::date, count(*) from events where person_id = :personId
      group by 1, 2 on conflict (type, month) do update set count = erased_counts.count + excluded.count`,
    b,
  );
  // what the catalogue has found with them alone would tell of them: the number of a cart, a word they wrote
  await foldArrivals(sql);
  await query(
    sql,
    `delete from event_values v using (
    select e.type, p.key as name, p.value, count(*) as count from events e, jsonb_each_text(e.properties) p where e.person_id = :personId group by 1, 2, 3
  ) own where v.type = own.type and v.name = own.name and v.value = own.value and v.count <= own.count`,
    b,
  );
  // a file that still holds the address shall not bring the person back
  await query(
    sql,
    `insert into erased_addresses (digest, at) select encode(sha256(convert_to(value, 'UTF8')), 'hex'), :at from identifiers
      where person_id = :personId and kind = 'email' on conflict do nothing`,
    b,
  );
  await query(sql, `update orders set order_id = ${erasedOrderId('order_id')}, cart_id = null where person_id = :personId`, b);
  await query(sql, 'delete from carts where person_id = :personId', b);
  await query(sql, 'delete from predictions where person_id = :personId', b);
  for (const table of ['credits', 'bookings'])
    await query(sql, `update ${table} set order_id = ${erasedOrderId('order_id')} where person_id = :personId`, b);
  await query(
    sql,
    `update sends set subject = null, state = case state when 'queued' then 'skipped' else state end, reason = case state when 'queued'
      then 'the person was erased' end where person_id = :personId`,
    b,
  );
  await query(
    sql,
    `update runs set phase = 'ended', outcome = coalesce(outcome, 'left'), key = '', step = null, wait_until = null, wake_at = null, wakes_on = '{}',
      about_at = null, about_event = null, about_data = null, answers = null, broken = null, ended_at = coalesce(ended_at, :at)
        where person_id = :personId and phase <> 'armed'`,
    b,
  );
  await query(sql, 'delete from asks where person_id = :personId', b);
  await query(
    sql,
    'delete from short_links where person_id = :personId or send_id in (select id from sends where person_id = :personId)',
    b,
  );
  // a code may bear their name; what it cost is kept
  await query(sql, `update orders set codes = '{}' where person_id = :personId`, b);
  await query(
    sql,
    `update codes set code = 'erased', spelling = 'ERASED' || id, order_id = null, is_told = true where person_id = :personId or used_by = :personId`,
    b,
  );
  await query(sql, `delete from runs where person_id = :personId and phase = 'armed'`, b);
  await query(
    sql,
    `delete from confirmations c using identifiers i where i.person_id = :personId and i.kind = 'email' and c.email = i.value`,
    b,
  );
  await query(sql, `update list_log set how = '' where person_id = :personId`, b);
  for (const table of [
    'events',
    'traces',
    'identifiers',
    'weak_claims',
    'consents',
    'consent_log',
    'person_tags',
    'list_members',
    'declined_topics',
    'letters',
    'work_changes',
  ]) {
    await query(sql, `delete from ${table} where person_id = :personId`, b);
  }
  await query(
    sql,
    `with leaving as (delete from segment_members where person_id = :personId returning segment_id)
     insert into segment_log (segment_id, person_id, at, act, cause) select segment_id, 0, :at, 'left', 'gone' from leaving`,
    b,
  );
  await query(sql, `update segment_log set person_id = 0 where ${isTheirs('person_id')}`, b);
  await query(sql, `delete from fact_changes where ${isTheirs('person_id')}`, b);
  // undone merges too: they hold both records as they were
  await query(sql, `delete from merges where ${isTheirs('winner_id')} or ${isTheirs('loser_id')}`, b);
  await query(sql, `delete from person_successors where ${isTheirs('person_id')}`, b);
  await query(
    sql,
    `update people set external_id = null, external_at = null, attributes = '{}', stamped = '{}', is_known = false, paused_until = null,
      claims_email = null, erased_at = :at where id = :personId`,
    b,
  );
}

/** Everything on file about one person, table by table, for them to have. */
export async function everything(sql: Sql, personId: string): Promise<Record<string, unknown[]>> {
  const tables: readonly (readonly [string, string])[] = [
    ['person', `select id, external_id, attributes, created_at, seen_at, paused_until from people where id = :personId`],
    ['identifiers', `select kind, value, first_at from identifiers where person_id = :personId`],
    ['consent', `select channel, state, at, how, place, wording, box, country from consents where person_id = :personId`],
    [
      'consentLog',
      `select channel, state, at, recorded_at, how, place, wording, actor, box, country, address from consent_log where person_id = :personId order by at`,
    ],
    ['tags', `select tag, at, by from person_tags where person_id = :personId`],
    [
      'segments',
      `select s.key, s.document ->> 'name' as name, m.since from segment_members m join segments s on s.id = m.segment_id where m.person_id = :personId`,
    ],
    ['lists', `select l.name, m.at, m.how from list_members m join lists l on l.id = m.list_id where m.person_id = :personId`],
    ['declinedTopics', `select topic, at from declined_topics where person_id = :personId`],
    [
      'orders',
      `select order_id, cart_id, currency, value_minor, discount_minor, refunded_minor, is_cancelled, placed_at from orders
        where person_id = :personId order by placed_at`,
    ],
    ['events', `select type, time, source, event_id, properties, received_at from events where person_id = :personId order by time, id`],
    [
      'messages',
      `select f.name as flow, s.step_id, s.state, s.reason, s.subject, s.queued_at, s.sent_at, s.delivered_at, s.opened_at, s.clicked_at from sends s
        join flows f on f.id = s.flow_id where s.person_id = :personId order by s.queued_at`,
    ],
    ['codes', `select code, offer, issued_at, expires_at, used_at, order_id from codes where person_id = :personId order by issued_at`],
    ['letters', `select purpose, kind, message, state, queued_at, sent_at from letters where person_id = :personId order by queued_at`],
    ['changes', `select at, kind, name, was, "is", cause from fact_changes where person_id = :personId order by at, id`],
    [
      'decisions',
      `select f.name as flow, t.at, t.kind, t.version, t.step_id, t.arm, t.saw, t.says, t.because from traces t
        join runs r on r.person_id = t.person_id and r.id = t.run_id join flows f on f.id = r.flow_id where t.person_id = :personId order by t.at, t.seq`,
    ],
    ['merges', `select at, by, because, loser->'attributes' as their_attributes, undone_at from merges where ${isTheirs('winner_id')}`],
  ];
  const all: Record<string, unknown[]> = {};
  for (const [name, statement] of tables) all[name] = await query(sql, statement, { personId });
  return all;
}
