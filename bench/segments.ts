import { wakesOn } from '../src/core/rules';
import { segmentSchema } from '../src/core/segments';
import { connect, inTransaction, query } from '../src/data/db';
import { buildMembership, findSegment, holdSegments, saveSegment } from '../src/data/segments';
import { ruleToSql } from '../src/data/rules';
import { readStore } from '../src/data/store';
import { ingest } from '../src/server/ingest';
import { lookAtPeople } from '../src/server/segments';
import { populate } from './population';

/**
 * How long it takes to build a segment of three tests over everybody, with the moments at which time changes it; floor: the
 * best SQL that a person would write, storing the same people. And how long looking at one person takes with 200 segments.
 */
const PEOPLE = Number(process.env.BENCH_PEOPLE ?? 100_000);
const EACH = 10;
const db = connect(process.env.VIATIC_DATABASE_URL!, 4);
const document = (name: string, rule: object) => segmentSchema.parse({ schema: 'viatic.segment/1', name, rule });
const three = document('Three tests', {
  all: [
    { test: 'attribute', name: 'country', op: 'is', value: 'NL' },
    { test: 'did', event: 'order.placed', times: 2, since: { last: 'P90D' } },
    { test: 'didNot', event: 'order.placed', since: { last: 'P30D' } },
  ],
});
const BY_HAND = `insert into by_hand select p.id from people p join (
    select person_id from events where type = 'order.placed' and time > now() - interval '90 days' and time <= now()
    group by person_id having count(*) >= 2 and max(time) <= now() - interval '30 days'
  ) o on o.person_id = p.id where p.attributes ->> 'country' = 'NL' and p.erased_at is null`;

const ms = async (work: () => Promise<unknown>): Promise<number> => {
  const began = performance.now();
  await work();
  return performance.now() - began;
};

async function build(key: string): Promise<void> {
  await inTransaction(db, async (trx) => {
    await holdSegments(trx);
    const row = (await findSegment(trx, key))!;
    const { now, zone, world } = await readStore(trx);
    const { rule } = row.document;
    await buildMembership(
      trx,
      { id: row.id, key, rule, revision: row.revision, isFirst: true, wakesOn: wakesOn([rule]), cause: 'rule' },
      ruleToSql(rule, now, zone, { isWhole: true }),
      { now, zone, world },
    );
  });
}

async function main(): Promise<void> {
  await populate(db, PEOPLE, EACH);
  const { now } = await readStore(db);
  await saveSegment(db, { key: 'three', document: three, wakesOn: wakesOn([three.rule]), by: 'bench', at: now });
  const rounds: number[] = [];
  for (let round = 0; round < 3; round++) {
    await query(db, 'truncate segment_members, segment_looks');
    rounds.push(await ms(() => build('three')));
  }
  const [{ size }] = (await query<{ size: number }>(db, 'select count(*)::int as size from segment_members')) as [{ size: number }];
  const [{ turning }] = (await query<{ turning: number }>(db, 'select count(*)::int as turning from segment_looks')) as [
    { turning: number },
  ];
  const floors: number[] = [];
  for (let round = 0; round < 3; round++) {
    await query(db, 'drop table if exists by_hand');
    await query(db, 'create table by_hand (person_id bigint primary key)');
    floors.push(await ms(() => query(db, BY_HAND)));
  }
  const [ours, floor] = [Math.min(...rounds), Math.min(...floors)];
  const say = (n: number) => Math.round(n).toLocaleString('en');
  console.log(
    `segments: three tests over ${say(PEOPLE)} people and ${say(PEOPLE * EACH)} events built in ${say(ours)} ms (${say(size)} in it, ` +
      `${say(turning)} whom time can change); the same people stored by SQL by hand ${say(floor)} ms, ratio ${(ours / floor).toFixed(2)}`,
  );

  // 200 segments that all wait for orders, and people who order
  await query(db, 'truncate segments, segment_members, segment_looks, segment_signals restart identity');
  for (let n = 0; n < 200; n++) {
    const one = document(`Segment ${n}`, {
      all: [
        { test: 'attribute', name: 'country', op: 'is', value: n % 2 ? 'NL' : 'DE' },
        { test: 'did', event: 'order.placed', times: (n % 5) + 1, since: { last: `P${10 + n}D` } },
        { test: 'didNot', event: 'order.placed', where: [{ property: 'value', op: 'above', value: n }], since: { last: 'P5D' } },
      ],
    });
    await saveSegment(db, { key: `s${n}`, document: one, wakesOn: wakesOn([one.rule]), by: 'bench', at: now });
  }
  await query(db, `select setval(pg_get_serial_sequence('people', 'id'), ${PEOPLE})`);
  await query(db, `update segments set rule = document -> 'rule', built_revision = revision, built_at = now(), first_at = now()`);
  const told = 500;
  await ingest(
    db,
    Array.from({ length: told }, (_, n) => ({
      id: `order ${n}`,
      source: 'bench',
      type: 'order.placed',
      data: { orderId: `o${n}`, currency: 'EUR', value: n, person: { email: `look${n}@example.com`, country: 'NL' } },
    })),
  );
  const looking = await ms(async () => {
    while (await lookAtPeople(db));
  });
  console.log(
    `segments: one event with 200 segments that wait for it, looked at in ${(looking / told).toFixed(2)} ms a person (${told} people, joins stored and told)`,
  );
  await db.destroy();
}

void main();
