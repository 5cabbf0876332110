import { ruleSchema } from '../src/core/rules';
import { connect, query } from '../src/data/db';
import { countRule } from '../src/server/rules';
import { populate } from './population';

/** How long it takes to count a rule of three tests with its narrowing and reach; floor: the best SQL that a person would write for the count alone. */
const PEOPLE = Number(process.env.BENCH_PEOPLE ?? 100_000);
const EACH = 10;
const db = connect(process.env.VIATIC_DATABASE_URL!, 4);
const rule = ruleSchema.parse({
  all: [
    { test: 'attribute', name: 'country', op: 'is', value: 'NL' },
    { test: 'did', event: 'order.placed', times: 2, since: { last: 'P90D' } },
    { test: 'didNot', event: 'order.placed', since: { last: 'P30D' } },
  ],
});

/** The count alone: one pass over the orders of the last 90 days, grouped. */
const BY_HAND = `select count(*)::int as count from people p join (
    select person_id, count(*) as orders, max(time) as latest from events where type = 'order.placed' and time > now() - interval '90 days' and time <= now()
    group by person_id having count(*) >= 2 and max(time) <= now() - interval '30 days'
  ) o on o.person_id = p.id where p.attributes ->> 'country' = 'NL' and p.erased_at is null`;

async function best(work: () => Promise<number>): Promise<[number, number]> {
  let [least, count] = [Infinity, 0];
  for (let round = 0; round < 4; round++) {
    const began = performance.now();
    count = await work();
    least = Math.min(least, performance.now() - began);
  }
  return [least, count];
}

async function main(): Promise<void> {
  await populate(db, PEOPLE, EACH);
  const [ours, found] = await best(async () => (await countRule(db, { rule })).count);
  let sampled = { count: 0, plusMinus: null as number | null, isExact: true };
  const [first] = await best(async () => (sampled = await countRule(db, { rule, sample: true })).count);
  const [floor, expected] = await best(async () => (await query<{ count: number }>(db, BY_HAND))[0]!.count);
  const say = (n: number) => Math.round(n).toLocaleString('en');
  console.log(
    `counting: a rule of three tests over ${say(PEOPLE)} people and ${say(PEOPLE * EACH)} events in ${say(ours)} ms with narrowing, reach and examples (${say(found)} match); the count alone in SQL by hand ${say(floor)} ms (${say(expected)}), ratio ${(ours / floor).toFixed(1)}; ${sampled.isExact ? 'no sample is taken' : `a sample of 4,000 ${say(first)} ms (${say(sampled.count)} give or take ${say(sampled.plusMinus!)})`}`,
  );
  await db.destroy();
}
main().catch((error: Error) => {
  console.error(error);
  process.exit(1);
});
