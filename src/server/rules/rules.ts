import { ruleInput, rulePersonInput, type CountView, type ExplainView, type SaysView } from '@/core/api';
import { CHANNELS, evaluate, partsOf, sayRule, type Channel } from '@/core/rules';
import { asksOfRules } from '@/core/flows';
import type { Db } from '@/data/db';
import { countNarrowing, listPeople } from '@/data/people';
import { loadFacts, type Compiled } from '@/data/rules';
import { readStore } from '@/data/store';
import { notFound, Problem, problemsOf } from '../http';
import { forLists, nameOf, person, publicId } from '../people';

const EXAMPLES = 10;

/** Says a rule as a sentence, or what is wrong with it and where: for whoever writes one. */
export function sayRuleOf(body: unknown): SaysView {
  const read = ruleInput.safeParse(body);
  return read.success ? { says: sayRule(read.data.rule), problems: [] } : { says: null, problems: problemsOf(read.error) };
}

/** Looks at a rule for one person: whether it holds, until when at least, and why. */
export async function explainRule(db: Db, body: unknown): Promise<ExplainView> {
  const read = rulePersonInput.safeParse(body);
  if (!read.success) throw new Problem(422, 'Not a rule', 'There is nothing to explain.', problemsOf(read.error));
  const { rule } = read.data;
  const store = await readStore(db);
  forLists(rule, store.now, store.zone);
  const row = await person(db, read.data.person);
  const events = asksOfRules([rule], store.now, store.zone);
  const facts = (await loadFacts(db, new Map([[row.id, { events }]]))).get(row.id);
  if (!facts) throw notFound(`person "${read.data.person.slice(0, 80)}"`);
  const { holds, until, because } = evaluate(rule, facts, { now: store.now, zone: store.zone }, { currency: store.currency });
  return { holds, until: until === null ? null : new Date(until).toISOString(), because };
}

/**
 * Counts who matches a rule, who of them can be reached on each channel, and what each part of an "all of" leaves of those
 * before it; with some of them as examples.
 */
export async function countRule(db: Db, body: unknown): Promise<CountView> {
  const read = ruleInput.safeParse(body);
  if (!read.success) throw new Problem(422, 'Not a rule', 'Nobody was counted.', problemsOf(read.error));
  const { rule } = read.data;
  const { now, zone } = await readStore(db);
  const parts = 'all' in rule ? partsOf(rule)! : [rule];
  const reach = Object.fromEntries(
    CHANNELS.map((channel) => [channel, forLists({ test: 'consent', channel, reachable: true }, now, zone, { prefix: `${channel}_` })]),
  ) as Record<Channel, Compiled>;
  const [counted, examples] = await Promise.all([
    countNarrowing(
      db,
      parts.map((part, place) => forLists(part, now, zone, { prefix: `n${place}_`, isWhole: true })),
      reach,
    ),
    listPeople(
      db,
      { words: null, rule: forLists(rule, now, zone, { isWhole: true }), insideFlow: null, ids: null },
      'seen',
      true,
      EXAMPLES,
      0,
    ),
  ]);
  return {
    everybody: counted.everybody,
    count: counted.left.at(-1) ?? counted.everybody,
    isExact: true,
    reachable: counted.reachable,
    narrowing: parts.map((part, place) => ({ says: sayRule(part), count: counted.left[place]! })),
    examples: examples.map((row) => ({ id: publicId(row), name: nameOf(row.attributes), email: row.email })),
  };
}
